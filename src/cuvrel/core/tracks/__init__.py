"""Tracks: the motion of a point, of a region and of a flat patch, measured on the plate."""
