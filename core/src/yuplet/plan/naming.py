"""How files are called: the pieces of a recipe's names, put together for each part."""

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from yuplet.arrangement import names
from yuplet.arrangement.naming.sides import SIDE, side_of
from yuplet.arrangement.sets.looks import is_looks
from yuplet.arrangement.tree import PartGroup
from yuplet.parts.part import Part
from yuplet.plan.recipe import NamePiece, Names


@dataclass(frozen=True, slots=True)
class Named:
    """A part to be named: the groups around it, and which it is of all parts and of its group, from the back (0 first), of how many."""

    around: tuple[PartGroup, ...]
    part: Part
    place: int
    place_in_group: int
    count_in_group: int


@dataclass(frozen=True, slots=True)
class Naming:
    """Everything that names of one hand-over depend on. `sides` are endings of one's own for left and right."""

    names: Names
    illustration: str
    named: Mapping[str, Named]
    sides: Sequence[tuple[str, str]] = ()

    def stem(self, part: str, scale: str, folder: str) -> str:
        """The path of a part's file without its ending and without the number of a frame: that is `{frame}` in it where names hold one.

        `scale` is the label of the scale, `folder` the one around all images of that scale.
        """
        one = self.named[part]
        own = _usable(self._joined(one, scale))
        return "/".join((*([folder] if folder else []), *self._folders(one), own))

    def _folders(self, one: Named) -> list[str]:
        wanted = self.names
        if wanted.folders == "flat":
            return []
        if wanted.folders == "nested":
            return [_usable(wanted.spelled(group.name)) for group in one.around]
        looks: list[str] = []
        rest: list[str] = []
        for at, group in enumerate(one.around):
            if is_looks(group):
                continue
            (looks if at and is_looks(one.around[at - 1]) else rest).append(group.name)
        return [_usable(wanted.spelled(name)) for name in (*looks, *rest)]

    def _joined(self, one: Named, scale: str) -> str:
        """The pieces one after the other; free text goes with the piece after it, or at the end with the one before: where that says
        nothing, so does the text.
        """
        parts: list[str] = []
        waiting = ""
        said = True
        for piece in self.names.pieces:
            if piece.piece == "text":
                waiting += piece.text
                continue
            text = self._said(piece, one, scale)
            if text:
                parts += [waiting, text]
            said = bool(text)
            waiting = ""
        if said:
            parts.append(waiting)
        return "".join(parts)

    def _said(self, piece: NamePiece, one: Named, scale: str) -> str:
        spelled = self.names.spelled
        around, part = one.around, one.part
        match piece.piece:
            case "illustration":
                return spelled(self.illustration)
            case "group":
                return spelled(around[-1].name) if around else ""
            case "look":
                found = [inner.name for outer, inner in zip(around, around[1:], strict=False) if is_looks(outer)]
                return spelled(found[-1]) if found else ""
            case "side":
                side = self._side(one)
                return spelled(side) if side else ""
            case "part":
                split = side_of(part.name, self.sides) if self.names.has("side") else None
                bare = split[0].replace(SIDE, "").strip(" _-.") if split else part.name
                return spelled(bare or part.name)
            case "scale":
                return scale
            case "frame":
                return "{frame}" if len(part.frames) > 1 else ""
            case "number":
                return self._number(piece, one)
        return ""

    def _side(self, one: Named) -> str | None:
        for name in (one.part.name, *(group.name for group in reversed(one.around))):
            if (split := side_of(name, self.sides)) is not None:
                return split[1]
        return None

    def _number(self, piece: NamePiece, one: Named) -> str:
        in_group = piece.within == "group"
        at, count = (one.place_in_group, one.count_in_group) if in_group else (one.place, len(self.named))
        if piece.counted == "front":
            at = count - 1 - at
        return f"{piece.start + at:0{piece.width}}"


def named(parts: Iterable[tuple[tuple[PartGroup, ...], Part]]) -> dict[str, Named]:
    """Number the parts that are handed over, back to front."""
    listed = list(parts)
    whole = Counter(around[-1].id if around else None for around, _ in listed)
    counts: Counter[str | None] = Counter()
    found: dict[str, Named] = {}
    for place, (around, part) in enumerate(listed):
        group = around[-1].id if around else None
        found[part.id] = Named(around, part, place, counts[group], whole[group])
        counts[group] += 1
    return found


def files_of(stem: str, ending: str, frames: int) -> tuple[str, ...]:
    """The files of a part: one, or a numbered one for each frame, in a folder of its own unless its name says where the number stands.

    >>> files_of("parts/lamp", ".png", 1), files_of("parts/lamp", ".png", 2)
    (('parts/lamp.png',), ('parts/lamp/1.png', 'parts/lamp/2.png'))
    >>> files_of("parts/lamp_{frame}", ".png", 10)[-1]
    'parts/lamp_10.png'
    """
    if frames == 1:
        return (stem + ending,)
    digits = len(str(frames))
    pattern = stem if "{frame}" in stem else stem + "/{frame}"
    return tuple(f"{pattern.replace('{frame}', f'{number:0{digits}}')}{ending}" for number in range(1, frames + 1))


def clashes(owners: Iterable[tuple[str, str]]) -> dict[str, tuple[str, str]]:
    """Files that two owners would write, and folders that a file stands in the way of: by the file's name, the owners.

    `owners` are pairs of a file and who writes it. Letter case and Unicode normal forms do not count.
    """
    first: dict[str, str] = {}
    folders: dict[str, str] = {}
    found: dict[str, tuple[str, str]] = {}
    pairs = list(owners)
    for file, owner in pairs:
        steps = names.key(file).split("/")
        for depth in range(1, len(steps)):
            folders.setdefault("/".join(steps[:depth]), owner)
    for file, owner in pairs:
        key = names.key(file)
        other = first.setdefault(key, owner)
        if other != owner:
            found[file] = (other, owner)
        elif key in folders and folders[key] != owner:
            found[file] = (folders[key], owner)
    return found


def _usable(text: str) -> str:
    """A name that every file system takes, as near as can be."""
    bare = text.replace("{frame}", "1")
    return text if names.problem(bare) is None else names.proposal(text.replace("{frame}", "frame"))
