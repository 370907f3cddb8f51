"""Parts at depths before a camera that travels: how wide a part must be, and where order and depth contradict each other.

A camera at a distance D before the picture plane that travels T sideways sees, at a depth z behind the plane, what lies within the
view's width and T D / (D + z) more: similar triangles. Parts are drawn so that at rest the picture is as it was, whatever their depth: a
part at depth z that is put into space is (D + z) / D times as large there.
"""

from collections.abc import Mapping
from dataclasses import dataclass

from yuplet.arrangement.tree import Arrangement
from yuplet.geometry import Box, Size


def needed_width(view: float, travel: float, distance: float, depth: float) -> float:
    """How wide a part must be, as it is drawn, to cover the view all along the camera's way.

    Raises `ValueError` for a part at or behind the camera.

    >>> needed_width(1920, 600, 1000, 1000)
    2220.0
    """
    if distance + depth <= 0:
        raise ValueError("the part is not before the camera")
    return view + travel * distance / (distance + depth)


@dataclass(frozen=True, slots=True)
class Cover:
    """How far a part reaches beyond the view on each side, and how many pixels it lacks there (None: it ends within the view)."""

    row: str
    needed: float
    width: int
    left: float | None
    right: float | None


def covers(arrangement: Arrangement, boxes: Mapping[str, Box], canvas: Size) -> list[Cover]:
    """For each included part that reaches an edge of the view: what it lacks beyond it for the camera's way, back to front."""
    camera = arrangement.decisions
    found = []
    for _, part in arrangement.parts():
        box = boxes.get(part.id)
        if box is None or not part.included or camera.distance + part.depth <= 0:
            continue
        needed = needed_width(canvas.width, camera.travel, camera.distance, part.depth)
        each = (needed - canvas.width) / 2
        left = max(0.0, each + box.left) if box.left <= 0 else None
        right = max(0.0, each - (box.right - canvas.width)) if box.right >= canvas.width else None
        if left is not None or right is not None:
            found.append(Cover(part.id, needed, box.width, left, right))
    return found


def contradictions(arrangement: Arrangement, boxes: Mapping[str, Box]) -> list[tuple[str, str]]:
    """Pairs of parts that meet, the first of which lies in front in the order and farther away by its depth.

    Of each part in front, the one that contradicts it most is named.
    """
    parts = [part for _, part in arrangement.parts() if part.included and part.id in boxes]
    if len({part.depth for part in parts}) < 2:
        return []
    found = []
    for index, part in enumerate(parts):
        nearer = [
            other
            for other in parts[:index]
            if other.depth < part.depth and not boxes[other.id].meet(boxes[part.id]).is_empty
        ]
        if nearer:
            found.append((part.id, min(nearer, key=lambda other: other.depth).id))
    return found
