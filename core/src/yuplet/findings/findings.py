"""All findings of an arrangement, each with where it is and what can be done about it."""

import math
import re
from collections.abc import Callable, Sequence

import numpy as np

from yuplet.arrangement.tree import Arrangement, PartGroup, Row
from yuplet.derivation.content import Content, placed_mask
from yuplet.derivation.turning import turn_box
from yuplet.errors import CannotTakeOut
from yuplet.findings.debris import debris
from yuplet.findings.doubles import Drawn, leftovers, same_drawings
from yuplet.findings.finding import Finding
from yuplet.findings.jointing import turning_of
from yuplet.findings.specks import crumbs, pinholes
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.derived import Turn, Turned
from yuplet.illustration.layers import Illustration, Layer
from yuplet.parts.part import Part, rest_box
from yuplet.pixels.trimming import content_box
from yuplet.rig.swing import gap_at, swing
from yuplet.selecting.masks import Chosen
from yuplet.selecting.regions import pieces_of

_COPY = re.compile(r"\bcop(y|ies)\b|\(\d+\)$", re.IGNORECASE)


def look_over(
    illustration: Illustration,
    arrangement: Arrangement,
    frame_of: Callable[[Part, int], Drawn | None],
    layer_of: Callable[[str], Drawn | None],
    agreeing: Chosen | None = None,
    smallest: int = 12,
    tolerance: int = 0,
) -> list[Finding]:
    """Everything there is to find.

    Parameters
    ----------
    illustration, arrangement
    frame_of : callable
        What is seen of a part in one of its frames.
    layer_of : callable
        What a layer holds.
    agreeing : (canvas height, canvas width) bool, optional
        Where the parts laid together look as the original does: nothing is missing there, whatever layer it is of.
    smallest : int
        Pixels from which on a piece or a hole is meant.
    tolerance : int
        Levels by which the same drawing may differ.
    """
    parts = [part for _, part in arrangement.parts() if part.included]
    found: list[Finding] = []
    at_rest: list[tuple[Part, Drawn]] = []
    for part in parts:
        for index in range(len(part.frames)):
            drawn = frame_of(part, index)
            if drawn is None:
                continue
            found += _specks(part, index, drawn.content(), smallest)
            if index == 0:
                at_rest.append((part, drawn))
    found += _doubles(at_rest)
    found += _overlays(illustration, arrangement)
    found += _remainder(illustration, arrangement, layer_of, agreeing, smallest)
    found += _same(at_rest, tolerance)
    found += _covered(arrangement, at_rest, illustration.canvas)
    found += _joints(arrangement, at_rest)
    found += debris(_laid_plainly(arrangement, at_rest), smallest)
    return found


def _specks(part: Part, index: int, content: Content, smallest: int) -> list[Finding]:
    frame = index if len(part.frames) > 1 else None
    where = f"'{part.name}'" if frame is None else f"'{part.name}', frame {index + 1} of {len(part.frames)}"
    found = []
    mask = crumbs(content.picture, smallest)
    if mask.any():
        count = int(pieces_of(mask, 8).max())
        rest = content_box(np.where(mask[..., None], 0, content.picture).astype(np.uint8))
        said = f"{where}: {_number(count, 'crumb')}, {int(mask.sum()):,} px."
        if rest is not None and rest.size != content.box.size:
            said += f" Sweeping shrinks the box from {content.box.width} × {content.box.height} to {rest.width} × {rest.height} px."
        found.append(Finding("crumbs", (part.id,), said, box=content.box, mask=mask, frame=frame))
    mask = pinholes(content.picture, smallest)
    if mask.any():
        count = int(pieces_of(mask, 4).max())
        said = f"{where}: {_number(count, 'pinhole')}, {int(mask.sum()):,} px."
        found.append(Finding("pinholes", (part.id,), said, box=content.box, mask=mask, frame=frame))
    return found


def _doubles(parts: Sequence[tuple[Part, Drawn]]) -> list[Finding]:
    found = []
    named = set()
    for at, other in leftovers([drawn for _, drawn in parts]):
        (part, drawn), (whole, _) = parts[at], parts[other]
        said = f"The art of '{part.name}' is also in '{whole.name}', at the same position."
        found.append(Finding("leftover", (part.id, whole.id), said, box=drawn.box, mask=_there(drawn)))
        named.add(part.id)
    for part, drawn in parts:
        if part.id not in named and _COPY.search(part.name):
            said = f"'{part.name}' has the name of a copy. Remove or rename this part."
            found.append(Finding("copy", (part.id,), said, box=drawn.box, mask=_there(drawn)))
    return found


def _there(drawn: Drawn) -> Chosen:
    found: Chosen = drawn.rows(0, drawn.box.height)[..., 3] > 0
    return found


def _overlays(illustration: Illustration, arrangement: Arrangement) -> list[Finding]:
    """Parts whose mode mixes with what lies behind them: a receiver that knows no modes lays them wrongly."""
    found: list[Finding] = []
    boxes = illustration.boxes
    behind: list[tuple[tuple[PartGroup, ...], Part, Box]] = []
    for around, part in arrangement.settled().parts():
        box = rest_box(part, boxes, illustration.canvas)
        if box is None or not part.included or not all(group.shown for group in around) or not part.shown:
            continue
        under = [(above, other) for above, other, place in behind if not place.meet(box).is_empty]
        if part.blend != "normal" and under:
            above, other = under[-1]
            rows = (part.id, other.id) if above == around else (part.id,)
            said = f"'{part.name}' ({part.blend}) blends with '{other.name}'"
            said += " and others behind it." if len(under) > 1 else " behind it."
            found.append(Finding("overlay", rows, said, box=box))
        behind.append((around, part, box))
    return found


def _remainder(
    illustration: Illustration,
    arrangement: Arrangement,
    layer_of: Callable[[str], Drawn | None],
    agreeing: Chosen | None,
    smallest: int,
) -> list[Finding]:
    """Art of shown layers of the source that is in no part that is handed over."""
    by_id = {made.id: made for made in illustration.made}
    covered: dict[str, list[str]] = {}
    left_out: dict[str, list[Part]] = {}

    def is_turned(layer: str) -> bool:
        made = by_id.get(layer)
        return made is not None and (isinstance(made.derivation, Turned) or any(map(is_turned, made.sources)))

    for _, part in arrangement.parts():
        for layer in part.layers:
            for root in illustration.roots_of(layer):
                if not part.included:
                    left_out.setdefault(root, []).append(part)
                elif not is_turned(layer):
                    covered.setdefault(root, []).append(layer)
    shown = illustration.shown
    found = []
    for path, node in illustration.walk():
        if not isinstance(node, Layer) or node.id not in shown:
            continue
        whole = layer_of(node.id)
        if whole is None:
            continue
        mask = _there(whole)
        if agreeing is not None:
            mask &= ~placed_mask(agreeing, Box(0, 0, *illustration.canvas), whole.box)
        for layer in covered.get(node.id, ()):
            own = layer_of(layer)
            if own is not None:
                mask &= ~placed_mask(own.within(own.box)[1], own.box, whole.box)
        labels = pieces_of(mask, 8)
        sizes = np.bincount(labels.ravel())
        mask &= (sizes >= smallest)[labels]
        if not mask.any():
            continue
        holders = tuple(dict.fromkeys(part.id for part in left_out.get(node.id, ())))
        names = ", ".join(f"'{part.name}'" for part in {part.id: part for part in left_out.get(node.id, ())}.values())
        said = f"{int(mask.sum()):,} px of '{path[-1]}' are in no part of the hand-over."
        if holders:
            said += f" Left out: {names}."
        found.append(Finding("remainder", holders, said, box=whole.box, mask=mask, frame=None, layer=node.id))
    return found


def _same(parts: Sequence[tuple[Part, Drawn]], tolerance: int) -> list[Finding]:
    still = [
        (part, drawn)
        for part, drawn in parts
        if len(part.frames) == 1 and part.is_one_layer and drawn.box.size.pixels > 1
    ]
    found = []
    for group in same_drawings([drawn for _, drawn in still], tolerance):
        rows = [still[at][0] for at, _ in group]
        if len({layer for part in rows for layer in part.layers}) == 1:
            continue  # one image already
        names = ", ".join(f"'{part.name}'" for part in rows[:4]) + (" and others" if len(rows) > 4 else "")
        ways = {_way(turn) for _, turn in group[1:]}
        said = f"{len(rows)} parts are the same drawing ({', '.join(sorted(ways))}): {names}."
        found.append(
            Finding(
                "same-drawing",
                tuple(part.id for part in rows),
                said,
                box=still[group[0][0]][1].box,
                turns=tuple(turn for _, turn in group),
            )
        )
    return found


def placed_as(first: Box, own: Box, turn: Turn) -> tuple[tuple[float, float], tuple[int, int]]:
    """About which point a drawing at one box is turned, and how far it then lies from another box."""
    about: Point = first.centre
    there = turn_box(first, turn, about)
    return (about.x, about.y), (own.left - there.left, own.top - there.top)


def _way(turn: Turn) -> str:
    words = (["mirrored"] if turn.mirrored else []) + ([f"turned by {90 * turn.quarters}°"] if turn.quarters else [])
    return " and ".join(words) or "as it is"


def _number(count: int, thing: str) -> str:
    return f"{count} {thing}" if count == 1 else f"{count} {thing}s"


def _plain(arrangement: Arrangement) -> set[str]:
    """Parts that are laid without mode or opacity, and so are the groups around them."""
    found = set()
    for around, part in arrangement.parts():
        laid: list[Row] = [part, *around]
        if all(one.opacity == 1 and one.blend == "normal" for one in laid):
            found.add(part.id)
    return found


def _laid_plainly(arrangement: Arrangement, parts: Sequence[tuple[Part, Drawn]]) -> list[tuple[Part, Drawn]]:
    """Those of some parts that are seen and of which each covers what lies behind it."""
    wanted = arrangement.visible_ids() & _plain(arrangement)
    return [(part, drawn) for part, drawn in parts if part.id in wanted]


def _covered(arrangement: Arrangement, parts: Sequence[tuple[Part, Drawn]], canvas: Size) -> list[Finding]:
    """Parts that are shown and lie wholly behind others, though nothing says that they should: nobody will see them."""
    seen = arrangement.visible_ids()
    plain = _plain(arrangement)
    over = np.zeros((canvas.height, canvas.width), np.bool_)
    found = []
    for part, drawn in reversed(parts):
        if part.id not in seen:
            continue
        box = drawn.box.meet(Box(0, 0, *canvas))
        if box.is_empty:
            continue
        alpha = drawn.within(box)[0][..., 3]
        there = over[box.top : box.bottom, box.left : box.right]
        if part.role in ("picture", "press-target", "text", "loose") and not ((alpha > 0) & ~there).any():
            said = f"'{part.name}' is wholly covered by other parts."
            found.append(Finding("covered", (part.id,), said, box=box, mask=alpha > 0))
        if part.id in plain:
            there |= alpha == 255
    return found[::-1]


SWING = (-20.0, -10.0, 10.0, 20.0)
"""Degrees by which joints are tried."""
_OPEN, _FEW = 0.015, 6
"""The share of the disc about a joint, and the pixels, that may open before it is said."""


def _joints(arrangement: Arrangement, parts: Sequence[tuple[Part, Drawn]]) -> list[Finding]:
    """Parts that open a gap when they turn a little: they and what carries them do not overlap enough."""
    drawn = {part.id: one for part, one in parts}
    named = {part.id: part for part, _ in parts}
    parents, seen = arrangement.parents(), arrangement.visible_ids()
    found = []
    for part, _ in parts:
        parent = parents.get(part.id)
        if parent not in drawn or part.id not in seen or part.blend != "normal":
            continue
        try:
            turning = turning_of(arrangement, part, drawn)
        except CannotTakeOut:
            continue  # it turns about a place beside it, on purpose or not
        if turning is None:
            continue
        limb, joint, moving, staying = turning.limb, turning.joint, turning.moving, turning.staying
        worst = swing(limb, staying, joint, SWING, moving)
        gap = sum(worst.opened[worst.widest])
        if gap > max(_FEW, _OPEN * math.pi * joint.radius**2):
            degrees = worst.degrees[worst.widest]
            pixels = gap_at(limb, staying, joint, degrees, moving)
            said = f"'{part.name}' leaves a gap of {gap} px at the joint with '{named[parent].name}' when turned by {degrees:g}°."
            found.append(Finding("joint", (part.id, parent), said, box=pixels.box, mask=pixels.opened))
    return found
