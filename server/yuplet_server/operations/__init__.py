"""What whoever looks after the server wants to know: is it well, what does it do, and how much."""
