"""A motion drawn picture by picture: what the receiver's program would show, by general libraries and the proof's own formulas.

OpenCV takes each part where its map says, by straight lines between four pixels (its coordinates are exact to 1/32 px); parts are reduced
by areas first where the film is smaller. What lies still or was moved by whole pixels, at the size of the canvas, is laid as the
proof lays it, so that it comes out exact.
"""

import math
from dataclasses import dataclass

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.errors import MotionError
from yuplet.rehearsal import blending
from yuplet.rehearsal.images import Decoded
from yuplet.rehearsal.motion.document import Motion
from yuplet.rehearsal.motion.rig import Rig
from yuplet.rehearsal.motion.sampling import Maps, Sampled, sample
from yuplet.rehearsal.motion.timing import directed
from yuplet.rehearsal.package import GroupEntry, PartUse, TreeEntry, group_paths
from yuplet.rehearsal.picture import Placed, Scene

MOST_PICTURES = 20_000
MOST_SIDE = 8192
_UNTIMED = 100
"""Milliseconds for which a picture of an animated part is seen that nobody has timed (common practice, no published source)."""


@dataclass(frozen=True, slots=True)
class _Reduced:
    """A picture with colour multiplied by alpha, in 16 bits, `factor` times as large as its image."""

    pixels: NDArray[np.uint16]
    factor: float


class Film:
    """The pictures of a motion, each by its number from 0; may be asked by several threads at once.

    With `only` it has one picture: the one that is seen at that time, in seconds. Raises `MotionError` for one that is too long or too large.
    """

    def __init__(
        self, scene: Scene, rig: Rig, motion: Motion, width: int | None = None, only: float | None = None
    ) -> None:
        stage = motion.stage
        self.factor = 1.0 if width is None else width / scene.width
        self.width, self.height = round(scene.width * self.factor), round(scene.height * self.factor)
        if not (1 <= self.width <= MOST_SIDE and 1 <= self.height <= MOST_SIDE):
            raise MotionError(
                f"A film of {self.width:,} x {self.height:,} px cannot be written; a side may have 1 to {MOST_SIDE:,} px. Choose another width."
            )
        # Once without end is written once, back and forth until it is where it began.
        turns = stage.iterations or (2.0 if stage.direction.startswith("alternate") else 1.0)
        self.count = max(1, math.ceil(stage.frames * turns - 1e-9)) if only is None else 1
        if self.count > MOST_PICTURES:
            raise MotionError(
                f"The film would have {self.count:,} pictures; up to {MOST_PICTURES:,} are written. Make the motion shorter, or play it less often."
            )
        self.rate = stage.rate
        self._times = np.arange(self.count) / stage.rate if only is None else np.array([only])
        moments = directed(self._times, stage.duration, stage.iterations, stage.direction, "both")
        self._scene, self._rig = scene, rig
        self._seen: Sampled = sample(motion, rig, moments)
        self._numbers = {part.id: at for at, part in enumerate(rig.parts)}
        self._ground = None if stage.ground is None else np.array(list(bytes.fromhex(stage.ground[1:])), np.float64)
        sets = {name: at for at, name in enumerate(rig.sets)}
        self._sets = {id(group): sets[path] for group, path in group_paths(scene.tree) if path in sets}
        self._reduced: dict[tuple[str, int], _Reduced] = {}
        for part_id, placed in scene.placed.items():
            for moment, image in enumerate([one for one, _ in placed.moments] or [placed.image]):
                self._reduced[part_id, moment] = _reduced(image, self.factor)

    def picture(self, number: int) -> NDArray[np.uint8]:
        """One picture as (H, W, 4) straight RGBA."""
        exact = np.zeros((self.height, self.width, 4))
        self._lay_all(self._scene.tree, exact, number)
        ground = self._seen.ground[number] if self._seen.ground is not None else self._ground
        if ground is None and self._scene.ground is not None:
            ground = np.array(self._scene.ground, np.float64)
        if ground is not None:
            exact[..., :3] += (1 - exact[..., 3:]) * (ground / 255)
            exact[..., 3] = 1.0
        rows = np.empty(exact.shape, np.uint8)
        blending.round_to_bytes(exact, rows)
        return rows

    def _lay_all(
        self, entries: tuple[TreeEntry, ...], backdrop: blending.Floats, number: int, only: int | None = None
    ) -> None:
        # The members of a set: groups first, then parts, as the rig counts them.
        order = [entry for kind in (GroupEntry, PartUse) for entry in entries if isinstance(entry, kind)]
        for entry in entries:
            # Entries that say the same are still two.
            shown = entry.shown if only is None else only < len(order) and order[only] is entry
            if not shown:
                continue
            if isinstance(entry, PartUse):
                if entry.part_id in self._scene.placed:
                    self._lay_part(backdrop, entry.part_id, number)
                continue
            at = self._sets.get(id(entry))
            member = None if at is None else int(self._seen.members[number, at])
            if entry.isolated or entry.opacity < 1 or entry.blend != "normal":
                inside = np.zeros_like(backdrop)
                self._lay_all(entry.members, inside, number, member)
                inside *= entry.opacity
                blending.lay(backdrop, inside, entry.blend)
            else:
                self._lay_all(entry.members, backdrop, number, member)

    def _lay_part(self, backdrop: blending.Floats, part_id: str, number: int) -> None:
        placed, at = self._scene.placed[part_id], self._numbers[part_id]
        opacity = placed.opacity * float(self._seen.opacity[number, at])
        moment = _moment_at(placed, float(self._times[number]))
        image = placed.moments[moment][0] if placed.moments else placed.image
        mapped = self._seen.maps[number, at]
        whole = self._whole_pixels(placed, mapped)
        if whole is not None:
            self._lay_exact(backdrop, placed, image, opacity, whole)
            return
        reduced = self._reduced[part_id, moment]
        source, left, top = self._warped(reduced, placed, mapped)
        if source is None:
            if placed.blend in blending.OUTSIDE_TOO:
                backdrop[...] = 0
            return
        region = backdrop[top : top + source.shape[0], left : left + source.shape[1]]
        if placed.blend == "normal":
            blending.over_words(region, source, opacity)
            return
        if placed.blend in blending.COMPILED:
            blending.blend_words(region, source, opacity, blending.COMPILED.index(placed.blend))
            return
        floats = np.asarray(source * (opacity / 65535), np.float64)
        _lay_at(backdrop, floats, left, top, placed.blend)

    def _whole_pixels(self, placed: Placed, mapped: Maps) -> tuple[int, int] | None:
        """Where an image lies exactly, where it was moved by whole pixels alone; else None."""
        if self.factor != 1 or np.abs(mapped[:4] - (1, 0, 0, 1)).max() > 1e-9:
            return None
        across, down = round(mapped[4]), round(mapped[5])
        if max(abs(mapped[4] - across), abs(mapped[5] - down)) > 1e-6:
            return None
        return placed.left + across, placed.top + down

    def _lay_exact(
        self, backdrop: blending.Floats, placed: Placed, image: Decoded, opacity: float, at: tuple[int, int]
    ) -> None:
        left, top = max(0, at[0]), max(0, at[1])
        right, bottom = min(self.width, at[0] + image.width), min(self.height, at[1] + image.height)
        if left >= right or top >= bottom:
            if placed.blend in blending.OUTSIDE_TOO:
                backdrop[...] = 0
            return
        rows = image.rows(top - at[1], bottom - at[1])[:, left - at[0] : right - at[0]]
        if placed.blend == "normal":
            blending.over_bytes(backdrop[top:bottom, left:right], rows, opacity)
            return
        _lay_at(backdrop, blending.premultiplied(rows, opacity), left, top, placed.blend)

    def _warped(self, reduced: _Reduced, placed: Placed, mapped: Maps) -> tuple[NDArray[np.uint16] | None, int, int]:
        """The part of a picture that is seen, and where it begins; None where none of it is."""
        a, b, c, d, e, f = (float(one) for one in mapped)
        back = 1 / reduced.factor
        # From pixels of the reduced picture to pixels of the film.
        whole = self.factor * np.array(
            [
                [a * back, c * back, a * placed.left + c * placed.top + e],
                [b * back, d * back, b * placed.left + d * placed.top + f],
            ]
        )
        height, width = reduced.pixels.shape[:2]
        corners = whole @ np.array([[0, width, width, 0], [0, 0, height, height], [1, 1, 1, 1]], np.float64)
        if not np.isfinite(corners).all():
            return None, 0, 0
        low, high = corners.min(axis=1), corners.max(axis=1)
        left, top = (max(0, math.floor(max(one, -1e6)) - 1) for one in low)
        right = min(self.width, math.ceil(min(high[0], 1e6)) + 1)
        bottom = min(self.height, math.ceil(min(high[1], 1e6)) + 1)
        if left >= right or top >= bottom:
            return None, 0, 0
        # OpenCV counts from the middles of pixels.
        shifted = whole.copy()
        shifted[:, 2] += whole[:, :2].sum(axis=1) / 2 - 0.5 - np.array([left, top])
        size = (right - left, bottom - top)
        found = cv2.warpAffine(
            reduced.pixels,
            shifted,
            size,
            flags=cv2.INTER_LINEAR,
            borderMode=cv2.BORDER_CONSTANT,
            borderValue=(0, 0, 0, 0),
        )
        return np.asarray(found, np.uint16), left, top


def _lay_at(backdrop: blending.Floats, floats: blending.Floats, left: int, top: int, mode: str) -> None:
    """Lay a premultiplied picture on a place of the backdrop; some operators empty what is beside it."""
    place = (slice(top, top + floats.shape[0]), slice(left, left + floats.shape[1]))
    if mode not in blending.OUTSIDE_TOO:
        blending.lay(backdrop[place], floats, mode)
        return
    large = np.zeros_like(backdrop)
    large[place] = floats
    blending.lay(backdrop, large, mode)


def _reduced(image: Decoded, factor: float) -> _Reduced:
    """An image reduced by halves until it is not more than twice as large as it is seen."""
    straight = image.rows(0, image.height)
    alpha = straight[..., 3:].astype(np.uint32)
    pixels = np.concatenate([straight[..., :3] * alpha * 257 // 255, alpha * 257], axis=2).astype(np.uint16)
    halvings = max(0, math.floor(math.log2(1 / factor) + 1e-9))
    if halvings == 0:
        return _Reduced(pixels, 1.0)
    step = 2**halvings
    height, width = (-(-side // step) for side in pixels.shape[:2])
    whole = np.zeros((height * step, width * step, 4), np.uint16)
    whole[: pixels.shape[0], : pixels.shape[1]] = pixels
    small = cv2.resize(whole, (width, height), interpolation=cv2.INTER_AREA)
    return _Reduced(np.asarray(small, np.uint16).reshape(height, width, 4), 1 / step)


def _moment_at(placed: Placed, time: float) -> int:
    """Which picture of an animated part is seen at a time in seconds."""
    if not placed.moments:
        return 0
    long = np.array([_UNTIMED if one is None else one for _, one in placed.moments])
    whole = int(long.sum())
    if whole <= 0:
        return 0
    left = time * 1000
    if placed.loops > 0 and left >= whole * placed.loops:
        return len(long) - 1
    # Times that were added up meet the picture that they mean.
    return min(len(long) - 1, int(np.searchsorted(long.cumsum(), left % whole + 1e-6, side="right")))
