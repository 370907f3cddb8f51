"""Motions as files that others play: a page, a drawing, a model; each read back and compared."""
