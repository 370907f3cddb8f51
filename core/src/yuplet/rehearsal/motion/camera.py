"""What a camera uncovers: planes that cover the picture at rest and end within it on the way."""

from dataclasses import dataclass
from typing import Literal

import numpy as np

from yuplet.rehearsal.motion.document import Motion
from yuplet.rehearsal.motion.easing import Floats
from yuplet.rehearsal.motion.rig import Rig
from yuplet.rehearsal.motion.sampling import sample

Side = Literal["left", "top", "right", "bottom"]
_LEAST = 0.5
"""Pixels that are no gap yet."""


@dataclass(frozen=True, slots=True, kw_only=True)
class RunsOut:
    """A plane that ends within the picture: on which side, at which picture most (from 1) and when in seconds, and by how many pixels there."""

    part: str
    side: Side
    picture: int
    at: float
    pixels: float


def planes_that_run_out(motion: Motion, rig: Rig) -> list[RunsOut]:
    """The sides on which parts that cover the whole width or height at rest do not, at any picture of one iteration."""
    times = times_of(motion)
    maps = sample(motion, rig, times).maps
    width, height = rig.size
    found = []
    for number, part in enumerate(rig.parts):
        left, top, wide, high = part.box
        right, bottom = left + wide, top + high
        a, b, c, d, e, f = maps[:, number].T
        xs = {x: np.stack([a * x + c * y + e for y in (top, bottom)]) for x in (left, right)}
        ys = {y: np.stack([b * x + d * y + f for x in (left, right)]) for y in (top, bottom)}
        gaps: dict[Side, Floats] = {}
        if left <= 0 and right >= width:
            gaps |= {"left": xs[left].max(axis=0), "right": width - xs[right].min(axis=0)}
        if top <= 0 and bottom >= height:
            gaps |= {"top": ys[top].max(axis=0), "bottom": height - ys[bottom].min(axis=0)}
        for side, gap in gaps.items():
            worst = int(gap.argmax())
            if gap[worst] > _LEAST:
                found.append(
                    RunsOut(
                        part=part.id,
                        side=side,
                        picture=min(worst + 1, motion.stage.frames),
                        at=round(float(times[worst]), 6),
                        pixels=round(float(gap[worst]), 1),
                    )
                )
    return found


def times_of(motion: Motion) -> Floats:
    """When the pictures of one iteration begin, in seconds, and its end."""
    stage = motion.stage
    return np.minimum(np.arange(stage.frames + 1) / stage.rate, stage.duration)
