"""How the parts of a package move: keys, what lies between them, and where that takes each part."""
