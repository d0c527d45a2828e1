"""The document of a shot: what it holds, how it is checked, edited and hashed."""
