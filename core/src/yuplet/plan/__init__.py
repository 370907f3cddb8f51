"""A hand-over before a pixel is touched."""
