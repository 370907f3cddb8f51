"""The version of Yuplet."""

__version__ = "0.1.0"
