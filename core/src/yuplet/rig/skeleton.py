"""Which part carries which: what moves along when one turns, and the joints of a twin."""

from collections.abc import Iterable, Mapping

from yuplet.arrangement.commands import SetJoints
from yuplet.arrangement.naming.sides import mirror_pairs
from yuplet.arrangement.tree import Arrangement
from yuplet.geometry import Affine, Box, Point


def poses(arrangement: Arrangement, turns: Mapping[str, float]) -> dict[str, Affine]:
    """Where every part comes to lie when some are turned about their pivots, in degrees clockwise.

    The map of a part is that of its parent after its own. A part without a pivot does not turn by itself.
    """
    parents, parts = arrangement.parents(), {part.id: part for _, part in arrangement.parts()}
    found: dict[str, Affine] = {}

    def of(part_id: str) -> Affine:
        if part_id not in found:
            pivot, degrees = parts[part_id].pivot, turns.get(part_id, 0.0)
            own = Affine.turn(degrees, pivot) if pivot is not None and degrees else Affine()
            parent = parents.get(part_id)
            found[part_id] = own if parent is None else of(parent).after(own)
        return found[part_id]

    for part_id in parts:
        # From the root on, so that long chains need no deep recursion.
        chain = [part_id]
        while (parent := parents.get(chain[-1])) is not None and parent not in found:
            chain.append(parent)
        for one in reversed(chain):
            of(one)
    return found


def carried_by(arrangement: Arrangement, part_id: str) -> set[str]:
    """A part and all that moves along with it."""
    parents = arrangement.parents()
    found = {part_id}
    more = True
    while more:
        added = {part for part, parent in parents.items() if parent in found} - found
        found |= added
        more = bool(added)
    return found


def mirrored_joints(arrangement: Arrangement, rows: Iterable[str], boxes: Mapping[str, Box]) -> SetJoints:
    """Pivots and parents of the twins of parts: the pivot at the mirrored place of the twin's box, the parent the twin of the parent.

    A parent without a twin carries both. `boxes` are those of parts on the canvas; twins without one are left as they are.
    """
    other, parents = mirror_pairs(arrangement), arrangement.parents()
    parts = {part.id: part for _, part in arrangement.parts()}
    pivots: dict[str, tuple[float, float] | None] = {}
    carriers: dict[str, str | None] = {}
    for row in rows:
        twin = other.get(row)
        if twin is None:
            continue
        parent = parents.get(row)
        if parent is not None and other.get(parent, parent) != twin:
            carriers[twin] = other.get(parent, parent)
        pivot = parts[row].pivot
        if pivot is not None and row in boxes and twin in boxes:
            own, there = boxes[row], boxes[twin]
            place = Point((pivot.x - own.left) / own.width, (pivot.y - own.top) / own.height)
            pivots[twin] = (there.right - place.x * there.width, there.top + place.y * there.height)
    return SetJoints(carriers, pivots)
