"""A plan carried out; one module a format."""
