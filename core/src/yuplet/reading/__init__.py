"""Bring in: one module a format. All answer with an illustration, its pixels in a scratch file, and a report."""
