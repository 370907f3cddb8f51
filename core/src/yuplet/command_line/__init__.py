"""The command line: inspect a file, arrange its parts, plan and hand over, look over, keep in step, prove a package (docs/guide/command-line.md)."""
