"""What was filled in behind parts and would be seen as rubbish once one of them moves a little."""

import math
from collections.abc import Sequence

import cv2
import numpy as np

from yuplet.derivation.content import Content, placed_mask
from yuplet.findings.doubles import Drawn
from yuplet.findings.finding import Finding
from yuplet.parts.part import Part
from yuplet.pixels.oklab import to_oklab
from yuplet.pixels.trimming import label_boxes
from yuplet.selecting.masks import Chosen, within
from yuplet.selecting.regions import pieces_of

_MOVED = 0.05
"""The share of its size by which a part moves."""
_UNLIKE = 0.06
"""How far from all colours around it, in OKLab, a filled-in colour is said to differ."""
_MOST = 8_000_000
"""Pixels that are looked at in one piece."""
_AROUND = 1.5
"""How many times as far as the part moves one looks around for what is drawn."""


def debris(parts: Sequence[tuple[Part, Drawn]], smallest: int) -> list[Finding]:
    """Pixels that nobody drew, that differ from all that is drawn around them in their part, and that open when a part in front moves by a
    twentieth of its size.

    `parts` are those that are seen and laid as normal, from the back to the front; `smallest` how many pixels a piece has at least.
    """
    found = []
    for at, (part, drawn) in enumerate(parts):
        added = drawn.added()
        if added is None or not added.any():
            continue
        content = drawn.content()
        at_added = label_boxes(added.astype(np.int32), 1)[0].moved(drawn.box.left, drawn.box.top)
        between = np.zeros(added.shape, np.bool_)
        movers: list[Part] = []
        bad = np.zeros(added.shape, np.bool_)
        for other, over in parts[at + 1 :]:
            if over.box.meet(at_added).is_empty:
                continue
            opaque, edge, reach = _edge(over)
            here = placed_mask(opaque, over.box, drawn.box)
            opening = placed_mask(edge, over.box, drawn.box) & ~between & added
            between |= here
            if not opening.any():
                continue
            own = opening & _unlike(content, added, opening, round(_AROUND * reach) + 2)
            labels = pieces_of(own, 8)
            own &= (np.bincount(labels.ravel()) >= smallest)[labels]
            if own.any():
                movers.append(other)
                bad |= own
        if movers:
            names = ", ".join(f"'{one.name}'" for one in movers[:3]) + (" and others" if len(movers) > 3 else "")
            verb, size = ("moves", "its") if len(movers) == 1 else ("move", "their")
            said = f"{int(bad.sum()):,} added px of '{part.name}' differ from the art around. They show when {names} {verb} by 5 % of {size} size."
            found.append(Finding("debris", (part.id, *(one.id for one in movers)), said, box=drawn.box, mask=bad))
    return found


def _edge(drawn: Drawn) -> tuple[Chosen, Chosen, int]:
    """Where a part is opaque, which of that opens when it moves, and how far it moves, in px."""
    opaque: Chosen = drawn.rows(0, drawn.box.height)[..., 3] == 255
    reach = max(round(_MOVED * max(drawn.box.size)), 1)
    edge: Chosen = opaque & within(np.pad(~opaque, 1, constant_values=True), reach)[1:-1, 1:-1]
    return opaque, edge, reach


def _unlike(content: Content, added: Chosen, where: Chosen, reach: int) -> Chosen:
    """Of some pixels those whose colour is outside of the range of what is drawn within `reach` of them; where nothing is drawn there is
    nothing to differ from.
    """
    rows, columns = np.flatnonzero(where.any(axis=1)), np.flatnonzero(where.any(axis=0))
    # Of a large area every so many pixels are enough, and what is between them is as they are.
    every = math.ceil(math.sqrt((np.ptp(rows) + 1) * (np.ptp(columns) + 1) / _MOST))
    reach = math.ceil(reach / every) * every
    area = np.s_[
        max(int(rows[0]) - reach, 0) : int(rows[-1]) + reach + 1 : every,
        max(int(columns[0]) - reach, 0) : int(columns[-1]) + reach + 1 : every,
    ]
    colours = to_oklab(content.picture[area][..., :3])
    drawn = (content.picture[area][..., 3] == 255) & ~added[area]
    window = np.ones((2 * reach // every + 1,) * 2, np.uint8)
    away = np.zeros(drawn.shape, np.float32)
    is_near = cv2.dilate(drawn.astype(np.uint8), window) > 0
    for channel in range(3):
        own = np.ascontiguousarray(colours[..., channel])
        least = cv2.erode(np.where(drawn, own, 9).astype(np.float32), window)
        most = cv2.dilate(np.where(drawn, own, -9).astype(np.float32), window)
        away = np.maximum(away, np.maximum(least - own, own - most))
    unlike = ((away > _UNLIKE) & is_near).repeat(every, axis=0).repeat(every, axis=1)
    result = np.zeros(where.shape, np.bool_)
    view = result[area[0].start : area[0].stop, area[1].start : area[1].stop]
    view[:] = unlike[: view.shape[0], : view.shape[1]]
    return result
