"""The stand-in for a receiving program: reads a package and nothing else, and shares no code with what wrote it."""
