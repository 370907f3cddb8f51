"""Names of many rows at once: rules that change them, and sides and series that are read from them."""
