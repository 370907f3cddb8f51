"""What was filled in behind parts and would be seen as rubbish once one of them moves a little."""

from collections.abc import Sequence

import cv2
import numpy as np

from yuplet.derivation.content import Content, placed_mask
from yuplet.findings.doubles import Drawn
from yuplet.findings.finding import Finding
from yuplet.parts.part import Part
from yuplet.pixels.oklab import to_oklab
from yuplet.selecting.masks import Chosen, within
from yuplet.selecting.regions import pieces_of

_MOVED = 0.05
"""The share of its size by which a part moves."""
_UNLIKE = 0.06
"""How far from all colours around it, in OKLab, a filled-in colour is said to differ."""
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
        between = np.zeros(added.shape, np.bool_)
        movers: list[Part] = []
        bad = np.zeros(added.shape, np.bool_)
        for other, over in parts[at + 1 :]:
            if over.box.meet(drawn.box).is_empty:
                continue
            opaque = over.rows(0, over.box.height)[..., 3] == 255
            reach = max(round(_MOVED * max(over.box.size)), 1)
            edge = opaque & within(np.pad(~opaque, 1, constant_values=True), reach)[1:-1, 1:-1]
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
            verb = "moves" if len(movers) == 1 else "move"
            said = (
                f"{int(bad.sum()):,} px filled in of '{part.name}' differ from all that is drawn around them. They show when"
                f" {names} {verb} by a twentieth of the size."
            )
            found.append(Finding("debris", (part.id, *(one.id for one in movers)), said, box=drawn.box, mask=bad))
    return found


def _unlike(content: Content, added: Chosen, where: Chosen, reach: int) -> Chosen:
    """Of some pixels those whose colour is outside of the range of what is drawn within `reach` of them; where nothing is drawn there is
    nothing to differ from.
    """
    rows, columns = np.flatnonzero(where.any(axis=1)), np.flatnonzero(where.any(axis=0))
    area = np.s_[
        max(int(rows[0]) - reach, 0) : int(rows[-1]) + reach + 1,
        max(int(columns[0]) - reach, 0) : int(columns[-1]) + reach + 1,
    ]
    colours = to_oklab(content.picture[area][..., :3])
    drawn = (content.picture[area][..., 3] == 255) & ~added[area]
    window = np.ones((2 * reach + 1, 2 * reach + 1), np.uint8)
    away = np.zeros(drawn.shape, np.float32)
    is_near = cv2.dilate(drawn.astype(np.uint8), window) > 0
    for channel in range(3):
        own = np.ascontiguousarray(colours[..., channel])
        least = cv2.erode(np.where(drawn, own, 9).astype(np.float32), window)
        most = cv2.dilate(np.where(drawn, own, -9).astype(np.float32), window)
        away = np.maximum(away, np.maximum(least - own, own - most))
    result = np.zeros(where.shape, np.bool_)
    result[area] = (away > _UNLIKE) & is_near
    return result
