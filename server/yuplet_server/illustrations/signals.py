"""What others may wait for."""

from django.dispatch import Signal

brought_in = Signal()
"""Sent in the transaction that lands a first revision, with `illustration_id` and its first arrangement as `tree`."""
