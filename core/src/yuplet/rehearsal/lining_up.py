"""Loose images that nothing says the places of: they are proposed by best match with a picture of the whole, and kept to once they are told.

The best match is that of `yuplet.placing`. Which of two images lies in front is seen where they overlap: the picture of the whole shows one
of them there. Order without circles: common practice, a topological sort that leaves out the weakest of what contradicts itself.
"""

import itertools
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, fields, replace
from graphlib import TopologicalSorter
from pathlib import Path, PurePosixPath
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from yuplet import placing
from yuplet.errors import PackageError, shown
from yuplet.rehearsal.images import Decoded, kept
from yuplet.rehearsal.package import PartUse
from yuplet.rehearsal.picture import Placed, Scene

SURE = 0.9
"""The certainty from which on a proposal is taken without being asked."""
LEAST = 0.2
"""The certainty below which an image does not occur."""
FARTHEST = 100_000
"""Pixels from the corner of the canvas to that of an image."""
LARGEST = 64
"""Times that an image may lie larger or smaller than it is."""
MOST_PIXELS = 64_000_000
"""Of an image that is made larger."""
_SAME = 8
"""Levels by which a pixel may differ and still count as what the picture of the whole shows."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Laid:
    """Where an image lies and how: mirrored left to right, if at all, then turned clockwise by `quarters`, then `scale` times as large, with its top left
    corner at `x`, `y` of the canvas."""

    file: str
    x: int
    y: int
    mirrored: bool = False
    quarters: int = 0
    scale: float = 1.0

    def __post_init__(self) -> None:
        """Raise `PackageError` for a place that nothing can lie at."""
        whole = all(type(number) is int for number in (self.x, self.y, self.quarters))
        if not (
            isinstance(self.file, str)
            and isinstance(self.mirrored, bool)
            and whole
            and max(abs(self.x), abs(self.y)) <= FARTHEST
            and 0 <= self.quarters <= 3
            and isinstance(self.scale, int | float)
            and 1 / LARGEST <= self.scale <= LARGEST
        ):
            raise PackageError(
                f"The place of '{shown(str(self.file))}' cannot be used: x and y are whole pixels up to {FARTHEST:,}, 'mirrored' is true or false, 'quarters' is 0"
                f" to 3, 'scale' from 1/{LARGEST} to {LARGEST}."
            )


def laid_from_json(value: Any) -> tuple[Laid, ...]:
    """Places as a list of objects, back to front. Raises `PackageError` for anything else."""
    names = {field.name for field in fields(Laid)}
    if not isinstance(value, list) or not all(
        isinstance(one, dict) and {"file", "x", "y"} <= set(one) <= names for one in value
    ):
        raise PackageError(
            "Places are a list of objects with 'file', 'x' and 'y', and where they are needed 'mirrored', 'quarters' and 'scale'."
        )
    return tuple(Laid(**one) for one in value)


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    """The best match of an image: `share` of its opaque pixels agree there. `certainty` counts those beside another colour, and half where another place
    agrees as well, so that nobody can say which one is meant.

    `laid` is None where it does not occur: no place agrees with enough of it.
    """

    file: str
    laid: Laid | None
    share: float
    certainty: float


def propose(
    images: Mapping[str, Decoded], reference: Decoded, step: Callable[[], None], workers: int = 2
) -> tuple[Proposal, ...]:
    """Propose where images lie on a picture of the whole, back to front as far as it shows; those that do not occur come first.

    `step` is called after each of them; it may raise to stop.
    """
    whole = placing.Whole(reference.rows(0, reference.height))

    def one(name: str) -> tuple[Proposal, _Agreeing | None]:
        return _matched(name, images[name], whole)

    found: list[tuple[Proposal, _Agreeing | None]] = []
    with ThreadPoolExecutor(workers) as pool:
        running = [pool.submit(one, name) for name in images]
        try:
            for each in running:
                found.append(each.result())
                step()
        except BaseException:
            for each in running:
                each.cancel()
            raise
    agreeing = {proposal.file: same for proposal, same in found if same is not None}
    proposals = {proposal.file: proposal for proposal, _ in found}
    order = _back_to_front(agreeing)
    return tuple(proposals[name] for name in (*(name for name in images if name not in agreeing), *order))


def accepted(proposals: Sequence[Proposal], least: float = SURE) -> tuple[Laid, ...]:
    """The places of those that are certain enough, back to front."""
    return tuple(one.laid for one in proposals if one.laid is not None and one.certainty >= least)


def scene_of_laid(places: Sequence[Laid], images: Mapping[str, Decoded], size: tuple[int, int], scratch: Path) -> Scene:
    """Images at the places that are told, back to front. Raises `PackageError` for an image that is not there, is told twice, or gets too large."""
    placed: dict[str, Placed] = {}
    for number, laid in enumerate(places):
        image = images.get(laid.file)
        if image is None or laid.file in placed:
            why = "more than one place" if image is not None else "a place, but there is no such image"
            raise PackageError(f"'{shown(laid.file)}' has {why}. Remove it from the positions.")
        if laid.mirrored or laid.quarters or laid.scale != 1:
            image = kept(Image.fromarray(pixels_of(image, laid), "RGBA"), scratch / f"laid {number}.raw")
        left, top, right, bottom = image.content or (0, 0, image.width, image.height)
        placed[laid.file] = Placed(
            label=PurePosixPath(laid.file).stem,
            image=image,
            left=laid.x,
            top=laid.y,
            opacity=1.0,
            blend="normal",
            area=(laid.x + left, laid.y + top, laid.x + right, laid.y + bottom),
        )
    return Scene(
        way="lined up",
        scale=1.0,
        width=size[0],
        height=size[1],
        tree=tuple(PartUse(laid.file, True) for laid in places),
        placed=placed,
        ground=None,
        largest=0.0,
        mean=0.0,
    )


def pixels_of(image: Decoded, laid: Laid) -> NDArray[np.uint8]:
    """An image as it lies. Raises `PackageError` where its scale makes it too large."""
    if laid.scale > 1 and image.width * image.height * laid.scale**2 > MOST_PIXELS:
        raise PackageError(
            f"'{shown(laid.file)}' would have more than {MOST_PIXELS // 1_000_000} million pixels at {laid.scale:g} times its size. Choose a smaller scale."
        )
    return placing.laid(image.rows(0, image.height), laid.mirrored, laid.quarters, laid.scale)


class _Agreeing(NamedTuple):
    """Which pixels of an image agree with the whole where it lies: its corner there, and a mask."""

    left: int
    top: int
    mask: NDArray[np.bool_]


def _matched(name: str, image: Decoded, whole: placing.Whole) -> tuple[Proposal, _Agreeing | None]:
    """The best match of an image, and what agrees there."""
    nowhere = Proposal(file=name, laid=None, share=0.0, certainty=0.0)
    if image.content is None:
        return nowhere, None
    pixels = image.rows(0, image.height)
    match = placing.find_match(pixels, whole)
    if match is None or match.place.certainty < LEAST:
        return nowhere if match is None else replace(nowhere, share=round(match.place.share, 4)), None
    x, y = match.place.x, match.place.y
    laid = Laid(file=name, x=x, y=y, mirrored=match.mirrored, quarters=match.quarters, scale=match.scale)
    share, certainty = round(match.place.share, 4), round(match.place.certainty, 4)
    seen = placing.laid(pixels, match.mirrored, match.quarters, match.scale)
    # An empty edge may lie outside of the whole.
    left, top = max(0, -x), max(0, -y)
    under = whole.picture[y + top : y + seen.shape[0], x + left : x + seen.shape[1]]
    inside = seen[top : top + under.shape[0], left : left + under.shape[1]]
    same = np.abs(under.astype(np.int16) - inside).max(axis=2) <= _SAME
    agreeing = _Agreeing(x + left, y + top, same & (inside[..., 3] > 0))
    return Proposal(file=name, laid=laid, share=share, certainty=certainty), agreeing


def _back_to_front(agreeing: Mapping[str, _Agreeing]) -> list[str]:
    """Names in the order that the picture of the whole shows, else as they come: of two that overlap the one that is seen there lies in front."""
    over: list[tuple[int, str, str]] = []
    for (first, one), (second, other) in itertools.combinations(agreeing.items(), 2):
        left, top = max(one.left, other.left), max(one.top, other.top)
        right, bottom = (
            min(each.left + each.mask.shape[1] for each in (one, other)),
            min(each.top + each.mask.shape[0] for each in (one, other)),
        )
        if left >= right or top >= bottom:
            continue
        a, b = (
            each.mask[top - each.top : bottom - each.top, left - each.left : right - each.left] for each in (one, other)
        )
        more = int((a & ~b).sum()) - int((b & ~a).sum())
        if more:
            over.append((abs(more), *((second, first) if more > 0 else (first, second))))
    return _sorted(list(agreeing), over)


def _sorted(names: Sequence[str], over: Sequence[tuple[int, str, str]]) -> list[str]:
    """Names so that of each (weight, behind, in front) the first comes before the second; the weakest of a circle are left out."""
    number = {name: at for at, name in enumerate(names)}
    before: dict[str, set[str]] = {name: set() for name in names}
    for _, behind, front in sorted(over, key=lambda one: -one[0]):
        if not _lies_behind(front, behind, before):
            before[front].add(behind)
    order: TopologicalSorter[str] = TopologicalSorter(before)
    order.prepare()
    found: list[str] = []
    while order.is_active():
        ready = sorted(order.get_ready(), key=number.__getitem__)
        found += ready
        order.done(*ready)
    return found


def _lies_behind(name: str, other: str, before: Mapping[str, set[str]]) -> bool:
    """Whether one lies behind another by what is known so far: `before` names what lies directly behind each."""
    looked, todo = set(), [other]
    while todo:
        one = todo.pop()
        if one == name:
            return True
        if one not in looked:
            looked.add(one)
            todo.extend(before[one])
    return False
