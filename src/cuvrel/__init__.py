"""Cuvrel: rotoscope and matte work in the browser."""

__version__ = "0.1.0"
