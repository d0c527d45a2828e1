"""Measures of a matte against the truth, and of a matte against itself."""
