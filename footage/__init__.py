"""Draws the demo's footage: a made-up harbour's signal school, with the true coverage of what moves in it.

The clips that it draws are shipped in `src/cuvrel/demo/clips`; the application itself does not need it.
"""
