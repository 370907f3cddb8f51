"""Telling pages that hold an illustration open what others do: a stream each, outside of the processes that answer requests."""
