"""The part on the other side: the same name with left and right changed over."""

import re
from typing import Final

from yuplet.rehearsal.motion.document import Property, Value
from yuplet.rehearsal.motion.rig import Rig

_SIDES: Final = {"left": "right", "right": "left", "l": "r", "r": "l"}
_WORD = re.compile(r"(?<![^\W_])(left|right|l|r)(?![^\W_])", re.IGNORECASE)


def twin_of(rig: Rig, target: str) -> str | None:
    """The one other part that is called the same with the sides changed over; None where there is none.

    Names of sides are words of their own (common practice, no published source).
    """
    part = rig.by_id.get(target)
    if part is None or not _WORD.search(part.name):
        return None
    wanted = _WORD.sub(_other, part.name)
    found = [one.id for one in rig.parts if one.name == wanted]
    return found[0] if len(found) == 1 else None


def mirrored_value(name: Property, value: Value) -> Value:
    """The same pose seen in a mirror that stands upright."""
    if name == "rotate" and isinstance(value, float | int):
        return -float(value) or 0.0
    if name == "translate" and isinstance(value, tuple):
        return (-value[0] or 0.0, value[1])
    return value


def _other(match: re.Match[str]) -> str:
    word = match[0]
    other = _SIDES[word.lower()]
    return other.upper() if word.isupper() else other.title() if word.istitle() else other
