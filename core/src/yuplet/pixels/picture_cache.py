"""What was computed from pictures, kept for a while: one budget of bytes for the whole process, the least recently used first out.

Pictures in it are read-only: whoever gets one shares it with others.
"""

import threading
from collections.abc import Callable, Hashable
from dataclasses import dataclass, fields, is_dataclass
from hashlib import blake2b
from typing import Any, TypeVar, cast
from weakref import ref

import numpy as np
from cachetools import LRUCache

from yuplet.pixels import Picture

T = TypeVar("T")

DEFAULT_BUDGET = 512 << 20
"""Bytes, until somebody says otherwise (`set_budget`)."""
_LEAST = 256
_MOST_DIGESTS = 1_000


def byte_size(value: Any) -> int:
    """About how many bytes a value takes: those of its arrays, and of what is in them."""
    if isinstance(value, np.ndarray):
        return value.nbytes + _LEAST
    if isinstance(value, bytes):
        return len(value) + _LEAST
    if is_dataclass(value):
        return sum((byte_size(getattr(value, one.name)) for one in fields(value)), _LEAST)
    if isinstance(value, tuple | list):
        return sum(map(byte_size, value), _LEAST)
    return _LEAST


@dataclass(frozen=True, slots=True)
class _Kept:
    """A value and about how many bytes it takes."""

    value: Any
    size: int


_kept: "LRUCache[Hashable, _Kept]" = LRUCache(DEFAULT_BUDGET, lambda one: one.size)
_lock = threading.Lock()
_digests: "LRUCache[int, tuple[ref[Picture], str]]" = LRUCache(_MOST_DIGESTS)


def set_budget(size: int) -> None:
    """Say how many bytes the process may keep; what it has kept so far goes."""
    global _kept
    with _lock:
        _kept = LRUCache(size, lambda one: one.size)


def bytes_kept() -> int:
    """About how many bytes are kept now."""
    with _lock:
        return int(_kept.currsize)


def recalled(key: Hashable, make: Callable[[], T]) -> T:
    """What `make` makes, or made before for the same key. What is larger than the budget is not kept."""
    with _lock:
        if key in _kept:
            return cast(T, _kept[key].value)
    value = make()
    _freeze(value)
    keep(key, value, byte_size(value))
    return value


def keep(key: Hashable, value: Any, size: int) -> None:
    """Keep a value that never changes, of about so many bytes."""
    if size <= _kept.maxsize:
        with _lock:
            _kept[key] = _Kept(value, size)


def kept(key: Hashable) -> Any:
    """What is kept under a key; None where nothing is."""
    with _lock:
        found = _kept.get(key)
    return None if found is None else found.value


def remembered(what: str, picture: Picture, make: Callable[[], T]) -> T:
    """The same for what is computed from a picture, told from others by its pixels."""
    return recalled((what, picture.shape, digest_of(picture)), make)


def digest_of(picture: Picture) -> str:
    """What tells a picture's pixels from others; of one that is kept, and so never changes, it is computed once."""
    is_kept = not picture.flags.writeable and picture.base is None
    if is_kept:
        with _lock:
            known = _digests.get(id(picture))
        if known is not None and known[0]() is picture:
            return known[1]
    digest = blake2b(np.ascontiguousarray(picture).data, digest_size=16).hexdigest()
    if is_kept:
        with _lock:
            _digests[id(picture)] = ref(picture), digest
    return digest


def _freeze(value: Any) -> None:
    if isinstance(value, np.ndarray):
        value.flags.writeable = False
    elif is_dataclass(value):
        for one in fields(value):
            _freeze(getattr(value, one.name))
    elif isinstance(value, tuple | list):
        for one in value:
            _freeze(one)
