"""Carrying a traced matte from frame to frame, and how far to trust what was carried."""
