"""Redaction: who is in the picture, covering whom one chooses, and looking at what is left open."""
