"""Rows that belong together across groups: looks, and what a list says must be there."""
