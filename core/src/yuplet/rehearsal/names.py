"""What images are by their names alone: folders are groups, and images called the same but for a word of a state are alternates.

Common practice, no published source. Sides are seen from names where they are needed (`motion.twins`).
"""

import re
from collections.abc import Iterable
from pathlib import PurePosixPath

from yuplet.rehearsal.package import GroupEntry, PartUse, TreeEntry

AT_REST = ("rest", "rested", "resting", "neutral", "idle", "default", "normal", "open", "off", "out", "unlit", "dry")
"""Words of the state that is seen at rest, the likeliest first."""
STATES = frozenset(
    {
        *AT_REST,
        *("closed", "close", "shut", "half", "blink", "wide", "round", "teeth", "smile", "smiling", "happy", "sad", "angry", "surprised"),
        *("talk", "talking", "a", "e", "i", "o", "u", "on", "lit", "pressed", "hover", "active", "disabled", "wet", "drenched", "broken"),
    }
)  # fmt: skip
_WORDS = re.compile(r"[^\W_]+")
_NUMBER = re.compile(r"^\d+[\s._-]+")


def label_of(name: str) -> str:
    """The name of an image without the number of its order, with the folders around it."""
    path = PurePosixPath(name)
    return " / ".join((*path.parts[:-1], _NUMBER.sub("", path.stem) or path.stem))


def tree_of(names: Iterable[str]) -> tuple[TreeEntry, ...]:
    """Groups and sets of alternates of images, which are given back to front. A set lies where its member at rest does."""
    ordered = list(names)
    sets = _sets(ordered)
    lead = {members[0]: members for members in sets}
    others = {name for members in sets for name in members[1:]}

    def entry(name: str) -> TreeEntry:
        members = lead.get(name)
        if members is None:
            return PartUse(name, True)
        inside = tuple(PartUse(one, one == name) for one in ordered if one in members)
        return GroupEntry(_family(name)[1], True, 1.0, "normal", False, inside, True)

    def level(inside: list[str], depth: int) -> tuple[TreeEntry, ...]:
        found: list[TreeEntry] = []
        at = 0
        while at < len(inside):
            folders = PurePosixPath(inside[at]).parts[:-1]
            if len(folders) <= depth:
                if inside[at] not in others:
                    found.append(entry(inside[at]))
                at += 1
                continue
            end = at
            while end < len(inside) and PurePosixPath(inside[end]).parts[: depth + 1] == folders[: depth + 1]:
                end += 1
            members = level(inside[at:end], depth + 1)
            found.append(GroupEntry(folders[depth], True, 1.0, "normal", False, members))
            at = end
        return tuple(found)

    return level(ordered, 0)


def _sets(names: list[str]) -> list[list[str]]:
    """Families of two and more, the member at rest first."""
    families: dict[tuple[str, str], list[str]] = {}
    for name in names:
        if _states_of(name):
            folder, called = _family(name)
            families.setdefault((folder, called.casefold()), []).append(name)
    return [sorted(members, key=_rest) for members in families.values() if len(members) > 1]


def _rest(name: str) -> int:
    return min((AT_REST.index(one) for one in _states_of(name) if one in AT_REST), default=len(AT_REST))


def _states_of(name: str) -> list[str]:
    # The first word is what it is.
    return [word.lower() for word in _words(name)[1:] if word.lower() in STATES]


def _family(name: str) -> tuple[str, str]:
    """The folder, and the words but for those of a state."""
    words = _words(name)
    own = [words[0], *(word for word in words[1:] if word.lower() not in STATES)] if words else [name]
    return str(PurePosixPath(name).parent), " ".join(own)


def _words(name: str) -> list[str]:
    return list(_WORDS.findall(_NUMBER.sub("", PurePosixPath(name).stem)))
