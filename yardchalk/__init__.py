"""Yard Chalk: product photos onto pure white or true transparency, measured and checked."""

__version__ = "0.1.0"
