"""Every edit that needs pixels, as a command: see `commands` for the table of all."""
