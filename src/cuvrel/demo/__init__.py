"""The demo project: made-up footage of a harbour's signal school, and the project built on it."""
