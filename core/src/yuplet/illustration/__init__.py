"""The illustration as it was brought in: a tree of layers that never changes, and questions to it."""
