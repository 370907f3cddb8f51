"""Yuplet separates an illustration into named parts and hands them over, exact to the pixel."""

__version__ = "0.1.0"
