"""How the parts are named, grouped and ordered, and the commands that change it."""
