"""The matte of one frame from marks."""
