"""Pieces in a row: how each moves, and how one joins the next."""
