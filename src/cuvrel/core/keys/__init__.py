"""Keys: coverage by colour, brightness, or difference from a clean plate; and building such a plate."""
