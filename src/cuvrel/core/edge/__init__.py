"""The last step of every matte's recipe."""
