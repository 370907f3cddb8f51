"""Who comes in and who goes: links by which people make an account, join a project or set a new password, and the list of accounts for an administrator."""
