"""Layers made of layers: cut, extended, turned, coloured, joined; and made again when the art or the mask has changed."""
