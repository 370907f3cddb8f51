"""What a part is, and how it becomes pixels."""
