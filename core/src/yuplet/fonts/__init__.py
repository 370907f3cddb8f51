"""The fonts that text in vector art is drawn with."""
