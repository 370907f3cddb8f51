"""Who did what, and from where: for an administrator, on a page and in a file."""
