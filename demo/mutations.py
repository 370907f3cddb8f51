"""Documents and files as somebody changes them who means harm, or whose disk does: by chance, but the same for the same number."""

import copy
import random
from collections.abc import Iterator
from typing import Any

VALUES: tuple[Any, ...] = (
    None, True, False, 0, -1, 1, 2**31, 2**63, -(2**31), 10**30, 0.5, -0.0, 1e308, "", " ", "x", "a\0b", "../../x", "/etc/passwd", "con",
    "n" * 5000, "\u202e", "é", "NaN", [], {}, [[]], [None], {"": None}, [1, 2], ["x"] * 50, {"kind": "x"},
)  # fmt: skip


def documents(value: Any, count: int, seed: int = 7) -> Iterator[tuple[str, Any]]:
    """A document, changed in so many ways, and what was changed each time."""
    chance = random.Random(seed)
    for _ in range(count):
        yield document(value, chance)


def document(value: Any, chance: random.Random) -> tuple[str, Any]:
    """What was changed, and a document with one to three changes: values replaced, removed, doubled, renamed, moved."""
    changed = copy.deepcopy(value)
    said = [_change(changed, chance) for _ in range(chance.choice((1, 1, 1, 2, 3)))]
    return "; ".join(said), changed


def files(data: bytes, count: int, seed: int = 7) -> Iterator[bytes]:
    """A file, changed in so many ways."""
    chance = random.Random(seed)
    for _ in range(count):
        yield file(data, chance)


def file(data: bytes, chance: random.Random) -> bytes:
    """A file with bytes changed, cut out, doubled or cut off."""
    changed = bytearray(data)
    for _ in range(chance.choice((1, 2, 5, 20))):
        at = chance.randrange(max(1, len(changed)))
        match chance.randrange(6):
            case 0:
                changed[at : at + 1] = bytes([chance.randrange(256)])
            case 1:
                del changed[at : at + chance.choice((1, 4, 64))]
            case 2:
                changed[at:at] = changed[at : at + chance.choice((1, 16, 256))]
            case 3:
                changed[at : at + 4] = chance.choice(
                    (b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff", b"\0\0\0\1")
                )
            case 4 if len(changed) > 40:
                del changed[at:]
            case _:
                changed[at : at + 2] = bytes([chance.randrange(256), chance.randrange(256)])
    return bytes(changed)


def _change(document: Any, chance: random.Random) -> str:
    places = list(_places(document, ()))
    if not places:
        return "nothing"
    # Not mostly the innermost of the longest list: first a depth, then a place there.
    depth = chance.choice(sorted({len(path) for _, _, path in places}))
    holder, key, path = chance.choice([place for place in places if len(place[2]) == depth])
    where = ".".join(map(str, path))
    match chance.randrange(6):
        case 0:
            del holder[key]
            return f"removed {where}"
        case 1 if isinstance(holder, list):
            holder.insert(key, copy.deepcopy(holder[key]))
            return f"doubled {where}"
        case 1:
            holder[f"{key}x"] = holder.pop(key)
            return f"renamed {where}"
        case 2:
            other, name, _ = chance.choice(places)
            holder[key] = (
                copy.deepcopy(other[name])
                if name in (other if isinstance(other, dict) else range(len(other)))
                else None
            )
            return f"took another value for {where}"
        case _:
            holder[key] = copy.deepcopy(chance.choice(VALUES))
            return f"{where} = {str(holder[key])[:30]!r}"


def _places(value: Any, path: tuple[Any, ...]) -> Iterator[tuple[Any, Any, tuple[Any, ...]]]:
    items = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    for key, inner in list(items):
        yield value, key, (*path, key)
        yield from _places(inner, (*path, key))
