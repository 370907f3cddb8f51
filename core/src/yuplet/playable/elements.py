"""A motion as elements of a document: groups and images within each other, and what of each changes in time.

What an element of a page can have is what is carried: `transform`, `opacity`, `visibility`, modes of blending by their names in CSS. The motion is written
picture by picture, so that every easing, path and camera comes along.
"""

import base64
import io
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Literal, TypeAlias

import numpy as np
from PIL import Image

from yuplet.errors import MotionError
from yuplet.pixels.blending import CSS
from yuplet.playable.laid import members_in_order
from yuplet.rehearsal.images import Decoded
from yuplet.rehearsal.motion.camera import times_of
from yuplet.rehearsal.motion.document import Motion
from yuplet.rehearsal.motion.rig import Rig
from yuplet.rehearsal.motion.sampling import Sampled, sample
from yuplet.rehearsal.package import GroupEntry, PartUse, TreeEntry, group_paths
from yuplet.rehearsal.picture import Placed, Scene

MOST_BYTES = 100_000_000
"""Of all pictures in one file."""
MOST_VALUES = 2_000_000
"""Pictures times parts that move."""
UNTIMED = 100
"""Milliseconds for which a picture of an animated part is seen that nobody has timed (common practice, no published source)."""

Changing: TypeAlias = Literal["transform", "opacity", "visibility", "background-color"]


@dataclass(frozen=True, slots=True)
class Strand:
    """What a property is at shares (0 to 1) of its time, straight between them or, `is_stepped`, from each to the next."""

    name: Changing
    shares: tuple[float, ...]
    values: tuple[str, ...]
    is_stepped: bool


@dataclass(frozen=True, slots=True)
class Frames:
    """Pictures of an animated part: when each begins, as a share of `seconds`, played so many `loops` (0: without end)."""

    shares: tuple[float, ...]
    seconds: float
    loops: int


@dataclass(slots=True, kw_only=True)
class Element:
    """A group, or (with `box`: left, top, width, height) the image of a part. `part` is the part's id; `strands` play in the motion's time, and
    of an image that is one of several `moment` says which of `frames` it is."""

    id: str
    name: str
    opacity: float = 1.0
    blend: str = "normal"
    isolated: bool = False
    part: str | None = None
    box: tuple[int, int, int, int] | None = None
    picture: str | None = None
    strands: list[Strand] = field(default_factory=list)
    frames: Frames | None = None
    moment: int = 0
    members: list["Element"] = field(default_factory=list)


@dataclass(frozen=True, slots=True, kw_only=True)
class Document:
    """Everything of a motion that a page or a drawing can show; `notes` are sentences about what it cannot."""

    width: int
    height: int
    members: tuple[Element, ...]
    motion: Motion
    ground: Strand | None
    still_ground: str | None
    notes: tuple[str, ...]


def document_of(scene: Scene, rig: Rig, motion: Motion) -> Document:
    """A scene that moves, as elements. Raises `MotionError` for one that is too large for a file."""
    times = times_of(motion)
    times[-1] = motion.stage.duration
    if len(times) * len(rig.parts) > MOST_VALUES:
        raise MotionError(
            f"{len(times):,} pictures of {len(rig.parts):,} parts are too much for one file. Make the motion shorter, or use fewer frames per second."
        )
    made = _Made(scene, rig, sample(motion, rig, times), times / motion.stage.duration)
    members = tuple(made.elements(scene.tree, None))
    ground = made.ground()
    still = motion.stage.ground or (None if scene.ground is None else "#" + bytes(scene.ground).hex())
    return Document(
        width=scene.width,
        height=scene.height,
        members=members,
        motion=motion,
        ground=ground,
        still_ground=still,
        notes=tuple(made.notes()),
    )


def png_of(image: Decoded) -> bytes:
    """An image as PNG: the package's own file where it has one."""
    if image.png is not None:
        return image.png.read_bytes()
    out = io.BytesIO()
    Image.fromarray(image.rows(0, image.height), "RGBA").save(out, "PNG", compress_level=4)
    return out.getvalue()


class Pictures:
    """The images of a scene as PNG, each once. Raises `MotionError` where they are more than a file should hold."""

    def __init__(self) -> None:
        self._known: dict[str, bytes] = {}
        self._bytes = 0

    def of(self, image: Decoded) -> bytes:
        """The PNG of an image."""
        key = str(image.raw)
        if key not in self._known:
            self._known[key] = png_of(image)
            self._bytes += len(self._known[key])
            if self._bytes > MOST_BYTES:
                raise MotionError(
                    f"The pictures have more than {MOST_BYTES // 1_000_000} MB, too much for one file. Hand over a smaller scale, or write a film."
                )
        return self._known[key]

    def address(self, image: Decoded) -> str:
        """The same as a data URL."""
        return f"data:image/png;base64,{base64.b64encode(self.of(image)).decode()}"


class _Made:
    def __init__(self, scene: Scene, rig: Rig, seen: Sampled, shares: np.ndarray) -> None:
        self._scene, self._rig, self._seen = scene, rig, seen
        self._shares = [round(float(one), 9) for one in shares]
        self._numbers = {part.id: at for at, part in enumerate(rig.parts)}
        sets = {name: at for at, name in enumerate(rig.sets)}
        self._sets = {id(group): sets[path] for group, path in group_paths(scene.tree) if path in sets}
        self._pictures = Pictures()
        self._lost: dict[str, int] = {}
        self._count = 0

    def elements(self, entries: tuple[TreeEntry, ...], at_set: int | None) -> list[Element]:
        order = members_in_order(entries)
        found = []
        for entry in entries:
            strand = None
            if at_set is not None:
                strand = self._switch(at_set, order.index(id(entry)))
                if strand is not None and set(strand.values) == {"hidden"}:
                    continue
            elif not entry.shown:
                continue
            element = self._part(entry.part_id) if isinstance(entry, PartUse) else self._group(entry)
            if element is not None:
                if strand is not None and len(set(strand.values)) > 1:
                    element.strands.append(strand)
                found.append(element)
        return found

    def ground(self) -> Strand | None:
        colours = self._seen.ground
        if colours is None:
            return None
        values = [f"rgb({' '.join(f'{one:.6g}' for one in colour)})" for colour in colours.tolist()]
        return self._strand("background-color", values, False)

    def notes(self) -> list[str]:
        return [
            f"{count} of its parts or groups are laid by '{blend}', which pages do not have, and are laid normally here."
            for blend, count in self._lost.items()
        ]

    def _group(self, entry: GroupEntry) -> Element:
        members = self.elements(entry.members, self._sets.get(id(entry)))
        return Element(
            id=self._id("g"), name=entry.label, opacity=entry.opacity, blend=self._mode(entry.blend),
            isolated=entry.isolated, members=members,
        )  # fmt: skip

    def _part(self, part_id: str) -> Element | None:
        placed = self._scene.placed.get(part_id)
        if placed is None:
            return None
        at = self._numbers[part_id]
        strands = []
        maps = [_matrix(one) for one in self._seen.maps[:, at].tolist()]
        if set(maps) != {_matrix([1, 0, 0, 1, 0, 0])}:
            strands.append(self._strand("transform", maps, False))
        opacity = [f"{placed.opacity * one:.6g}" for one in self._seen.opacity[:, at].tolist()]
        if len(set(opacity)) > 1 or float(opacity[0]) != placed.opacity:
            strands.append(self._strand("opacity", opacity, False))
        own = Element(
            id=self._id("p"), name=placed.label.rpartition(" / ")[2], opacity=placed.opacity, blend=self._mode(placed.blend),
            part=part_id, box=(placed.left, placed.top, placed.image.width, placed.image.height), strands=strands,
        )  # fmt: skip
        frames = _frames(placed)
        if frames is None:
            own.picture = self._pictures.address(placed.image)
            return own
        for moment, (image, _) in enumerate(placed.moments):
            address = self._pictures.address(image)
            own.members.append(
                Element(id=self._id("f"), name=f"{own.name} {moment + 1}", box=own.box, picture=address, frames=frames, moment=moment)
            )  # fmt: skip
        return own

    def _switch(self, at_set: int, member: int) -> Strand:
        seen = ["inherit" if one == member else "hidden" for one in self._seen.members[:, at_set].tolist()]
        return self._strand("visibility", seen, True)

    def _strand(self, name: Changing, values: list[str], is_stepped: bool) -> Strand:
        """Without values that say what their neighbours say."""
        last = len(values) - 1
        kept = [
            at
            for at in range(last + 1)
            if at in (0, last)
            or values[at] != values[at - 1]
            or (not is_stepped and values[at] != values[at + 1])
        ]  # fmt: skip
        return Strand(name, tuple(self._shares[at] for at in kept), tuple(values[at] for at in kept), is_stepped)

    def _mode(self, blend: str) -> str:
        if blend not in CSS:
            self._lost[blend] = self._lost.get(blend, 0) + 1
        return CSS.get(blend, "normal")

    def _id(self, kind: str) -> str:
        self._count += 1
        return f"{kind}{self._count}"


def _frames(placed: Placed) -> Frames | None:
    if len(placed.moments) < 2:
        return None
    long = [UNTIMED if one is None else one for _, one in placed.moments]
    whole = sum(long)
    if whole <= 0:
        return None
    begins = np.concatenate([[0], np.cumsum(long)[:-1]]) / whole
    return Frames(tuple(round(float(one), 9) for one in begins), whole / 1000, placed.loops)


def _matrix(numbers: Sequence[float]) -> str:
    turned = [f"{one:.9g}" for one in numbers[:4]]
    moved = [f"{round(one, 4):.12g}" for one in numbers[4:]]
    return f"matrix({','.join(turned)},{','.join(moved)})".replace("-0,", "0,").replace("-0)", "0)")
