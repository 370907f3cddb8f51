"""Along a path: SVG path data, how long it is, and where a share of its length lies.

Sources: SVG 1.1 and 2, path data (read by fontTools, arcs as curves); W3C Motion Path Level 1, offset-distance and offset-rotate.
"""

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from fontTools.pens.recordingPen import RecordingPen
from fontTools.svgLib.path import parse_path
from numpy.typing import NDArray

from yuplet.errors import MotionError, shown
from yuplet.rehearsal.motion.easing import Floats

MOST_DATA = 50_000
"""Characters of path data."""
MOST_PIECES = 1000
FARTHEST = 1e6
_SAMPLES = 65


@dataclass(frozen=True, slots=True)
class Measured:
    """A path as points in pixels, how far along it each lies, and the direction there, in degrees, clockwise from the right."""

    points: Floats
    along: Floats
    directions: Floats

    @property
    def length(self) -> float:
        """In pixels."""
        return float(self.along[-1])

    def at(self, share: Floats) -> tuple[Floats, Floats]:
        """Places (T, 2) and directions (T,) at shares of the length, 0 to 1."""
        wanted = np.clip(share, 0, 1) * self.length
        places = np.stack([np.interp(wanted, self.along, self.points[:, side]) for side in (0, 1)], axis=1)
        return places, np.interp(wanted, self.along, self.directions)


@lru_cache(64)
def measured(data: str) -> Measured:
    """Read and measure path data.

    Raises
    ------
    MotionError
        It is no path, or one without length.

    Examples
    --------
    >>> measured("M 0 0 H 30 V 40").length
    70.0
    """
    pen = RecordingPen()
    try:
        parse_path(data[: MOST_DATA + 1], pen)
    except Exception as error:  # its reader raises errors of many kinds for what is no path
        raise MotionError(f"'{shown(data)}' is no path. {_EXAMPLE}") from error
    pieces = _pieces(pen)
    if not pieces:
        raise MotionError(f"'{shown(data)}' has no line to go along. {_EXAMPLE}")
    points = np.concatenate([places for places, _ in pieces])
    if not np.isfinite(points).all() or np.abs(points).max() > FARTHEST:
        raise MotionError(f"'{shown(data)}' leaves the canvas by more than a million pixels. {_EXAMPLE}")
    steps = np.hypot(*np.diff(points, axis=0).T)
    along = np.concatenate([[0.0], np.cumsum(steps)])
    if along[-1] <= 0:
        raise MotionError(f"'{shown(data)}' has no length. {_EXAMPLE}")
    tangents = np.concatenate([towards for _, towards in pieces])
    return Measured(points, along, np.degrees(np.unwrap(np.arctan2(tangents[:, 1], tangents[:, 0]))))


_EXAMPLE = "Write SVG path data, for example 'M 0 0 C 50 -40 150 -40 200 0'."


def _pieces(pen: RecordingPen) -> list[tuple[Floats, Floats]]:
    """Each line and curve as places and directions; between pieces that do not meet the path jumps, which has no length of its own in SVG."""
    found: list[tuple[Floats, Floats]] = []
    start = here = np.zeros(2)
    for verb, raw in pen.value:
        if len(found) > MOST_PIECES:
            raise MotionError(f"The path has more than {MOST_PIECES:,} pieces. Draw a simpler one.")
        points = [np.array(point, np.float64) for point in raw]
        if verb == "moveTo":
            start = here = points[0]
            if found:
                raise MotionError("The path has more than one beginning. Draw one line without a gap.")
            continue
        if verb in ("closePath", "endPath"):
            points = [start] if verb == "closePath" and np.any(here != start) else []
        corners = np.array([here, *points])
        if len(corners) > 1 and np.any(corners != corners[0]):
            found.append(_curve(corners))
            here = corners[-1]
    return found


def _curve(corners: Floats) -> tuple[Floats, Floats]:
    """A Bezier curve of any degree as places, and the directions there."""
    share = np.linspace(0, 1, 2 if len(corners) == 2 else _SAMPLES)[:, None]
    places = _bezier(corners, share)
    towards = _bezier(np.diff(corners, axis=0), share)
    # Where control points lie on each other, the direction is that to the next point.
    flat = np.hypot(*towards.T) < 1e-9
    if flat.any():
        towards[flat] = np.gradient(places, axis=0)[flat]
    return places, towards


def _bezier(corners: Floats, share: Floats) -> NDArray[np.float64]:
    """De Casteljau's way."""
    level = [np.broadcast_to(corner, (len(share), 2)) for corner in corners]
    while len(level) > 1:
        level = [one + (other - one) * share for one, other in zip(level, level[1:], strict=False)]
    return np.array(level[0])
