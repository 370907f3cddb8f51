"""Many rectangles on few sheets.

Source: J. Jylänki, "A Thousand Ways to Pack the Bin", 2010: maximal rectangles, with the rules *bottom left* and *best short side fit*. Several
orders are tried, and small changes of the best of them; always the same ones, so that equal parts give equal sheets. Why our own, and
what else there is: docs/decisions/own-packer.md.
"""

import math
from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
import rectpack
from numpy.typing import NDArray

from yuplet.compiled import compiled
from yuplet.errors import PartTooLarge
from yuplet.geometry import Size

Rectangles = NDArray[np.int64]

_TRIES = 12_000
"""Rectangles that are placed in all while small changes are tried."""
_MANY = 300
"""From so many on, the orders and widths that seldom win are left out, and no small changes are tried."""
_NO_END = 1 << 40


class Placed(NamedTuple):
    """Where a rectangle lies on which page, and whether it is turned by a quarter, clockwise."""

    page: int
    x: int
    y: int
    turned: bool


@compiled("int64(int64[:, :], int64, int64, boolean, int64, int64[:, :])")
def _place(sizes: Rectangles, width: int, height: int, may_turn: bool, rule: int, out: Rectangles) -> int:
    """Place rectangles in their order; `out` gets x, y, turned, and -1 as x where there is no room. Answers the height that is used."""
    free = np.empty((64, 4), np.int64)
    free[0] = (0, 0, width, height)
    count, used = 1, 0
    for i in range(sizes.shape[0]):
        best_first, best_second = _NO_END, _NO_END
        best_x, best_y, best_w, best_h, best_turn = -1, -1, 0, 0, 0
        for turn in range(2 if may_turn else 1):
            w, h = (sizes[i, 1], sizes[i, 0]) if turn else (sizes[i, 0], sizes[i, 1])
            for f in range(count):
                left, top, right, bottom = free[f]
                if right - left < w or bottom - top < h:
                    continue
                if rule == 0:
                    first, second = top + h, left
                else:
                    spare_x, spare_y = right - left - w, bottom - top - h
                    first, second = min(spare_x, spare_y), top + h
                if first < best_first or (first == best_first and second < best_second):
                    best_first, best_second = first, second
                    best_x, best_y, best_w, best_h, best_turn = left, top, w, h, turn
        out[i, 0], out[i, 1], out[i, 2] = best_x, best_y, best_turn
        if best_x < 0:
            continue
        used = max(used, best_y + best_h)
        # What is left of the free rectangles: up to four of each that was cut.
        x1, y1, x2, y2 = best_x, best_y, best_x + best_w, best_y + best_h
        fresh = np.empty((count * 4, 4), np.int64)
        made, kept = 0, 0
        for f in range(count):
            left, top, right, bottom = free[f]
            if x1 >= right or x2 <= left or y1 >= bottom or y2 <= top:
                free[kept] = free[f]
                kept += 1
                continue
            if x1 > left:
                fresh[made] = (left, top, x1, bottom)
                made += 1
            if x2 < right:
                fresh[made] = (x2, top, right, bottom)
                made += 1
            if y1 > top:
                fresh[made] = (left, top, right, y1)
                made += 1
            if y2 < bottom:
                fresh[made] = (left, y2, right, bottom)
                made += 1
        if kept + made > free.shape[0]:
            larger = np.empty((2 * (kept + made), 4), np.int64)
            larger[:kept] = free[:kept]
            free = larger
        old = kept
        for a in range(made):
            inside = False
            for b in range(made):
                if a != b and (
                    fresh[b, 0] <= fresh[a, 0]
                    and fresh[b, 1] <= fresh[a, 1]
                    and fresh[b, 2] >= fresh[a, 2]
                    and fresh[b, 3] >= fresh[a, 3]
                    and (b < a or not (fresh[b] == fresh[a]).all())
                ):
                    inside = True
                    break
            if not inside:
                # Those that were not cut can hold a new one, but never lie in one.
                for b in range(old):
                    if (
                        free[b, 0] <= fresh[a, 0]
                        and free[b, 1] <= fresh[a, 1]
                        and free[b, 2] >= fresh[a, 2]
                        and free[b, 3] >= fresh[a, 3]
                    ):
                        inside = True
                        break
            if not inside:
                free[kept] = fresh[a]
                kept += 1
        count = kept
    return used


def pack_strip(
    sizes: Sequence[Size], width: int, may_turn: bool = False, tries: int = _TRIES
) -> tuple[int, list[Placed]]:
    """Lay rectangles into a strip of a width, as low as can be found.

    Answers the height that is used, and where each lies. No two overlap. Raises `PartTooLarge` for one that is wider than the strip.

    >>> pack_strip([Size(2, 1), Size(1, 2), Size(1, 1)], 3)[0]
    2
    """
    boxes = _array(sizes)
    for size in sizes:
        if size.width > width and not (may_turn and size.height <= width):
            raise PartTooLarge(size.width, size.height, width)
    best_height, best, best_order, best_way = _NO_END, None, None, (0, False)
    total = sum(size.pixels for size in sizes)
    bound = max(-(-total // max(width, 1)), int(boxes.min(axis=1).max()) if may_turn and len(boxes) else 0)

    def attempt(order: NDArray[np.int64], rule: int, turns: bool) -> None:
        nonlocal best_height, best, best_order, best_way
        out = np.empty((len(boxes), 3), np.int64)
        used = _place(boxes[order], width, _NO_END, turns, rule, out)
        if used < best_height and (turns == may_turn or (out[:, 0] >= 0).all()):
            found = np.empty_like(out)
            found[order] = out
            best_height, best, best_order, best_way = used, found, order, (rule, turns)

    if not len(boxes):
        return 0, []
    many = len(boxes) > _MANY
    for order in _orders(boxes)[: 1 if many else None]:
        for rule in (0,) if many else (0, 1):
            for turns in (True, False) if may_turn else (False,):
                attempt(order, rule, turns)
    chance = np.random.default_rng(0)
    for _ in range(0 if many else tries // len(boxes)):
        if best_height <= bound or best_order is None:
            break
        order = best_order.copy()
        for _ in range(1 + int(chance.integers(3))):
            one, other = chance.integers(len(order), size=2)
            order[[one, other]] = order[[other, one]]
        attempt(order, *best_way)
    assert best is not None
    return best_height, [Placed(0, int(x), int(y), bool(turned)) for x, y, turned in best]


def pack_pages(
    sizes: Sequence[Size], longest: int, power_of_two: bool = False, square: bool = False, may_turn: bool = False
) -> tuple[list[Size], list[Placed]]:
    """Lay rectangles onto as few pages as can be found, each as small as can be.

    Answers the size of each page, no side longer than `longest`, and where each rectangle lies. Raises `PartTooLarge` for one that fits
    on no page.
    """
    for size in sizes:
        if max(size) > longest:
            raise PartTooLarge(size.width, size.height, longest)
    pages: list[Size] = []
    places: dict[int, Placed] = {}
    waiting = list(range(len(sizes)))
    while waiting:
        own = [sizes[index] for index in waiting]
        found = _one_page(own, longest, power_of_two, square, may_turn)
        if found is None:
            side = 1 << (longest.bit_length() - 1) if power_of_two else longest
            found = Size(side, side), _fill(own, side, may_turn)
        page, placed = found
        for index, place in zip(list(waiting), placed, strict=True):
            if place is not None:
                places[index] = Placed(len(pages), *place)
        left = [index for index, place in zip(waiting, placed, strict=True) if place is None]
        if len(left) == len(waiting):
            largest = max(own, key=max)
            raise PartTooLarge(largest.width, largest.height, page.width)
        waiting = left
        pages.append(page)
    return pages, [places[index] for index in range(len(sizes))]


_Spot = tuple[int, int, bool]


def _one_page(
    sizes: Sequence[Size], longest: int, power_of_two: bool, square: bool, may_turn: bool
) -> tuple[Size, list[_Spot | None]] | None:
    """The smallest page that holds all; None where there is none."""
    area = sum(size.pixels for size in sizes)
    if area > longest * longest:
        return None
    best: tuple[int, Size, list[Placed]] | None = None
    for width in _widths(sizes, area, longest, power_of_two, may_turn):
        if best is not None and not power_of_two and not square and width * (area // width) >= best[0]:
            continue
        height, placed = pack_strip(sizes, width, may_turn, _TRIES // 4)
        used = max(
            place.x + (size.height if place.turned else size.width) for place, size in zip(placed, sizes, strict=True)
        )
        page = Size(width if power_of_two else used, 1 << (height - 1).bit_length() if power_of_two else height)
        if square:
            page = Size(max(page), max(page))
        if max(page) <= longest and (best is None or (page.pixels, max(page)) < (best[0], max(best[1]))):
            best = (page.pixels, page, placed)
    return None if best is None else (best[1], [(place.x, place.y, place.turned) for place in best[2]])


def _widths(sizes: Sequence[Size], area: int, longest: int, power_of_two: bool, may_turn: bool) -> list[int]:
    least = max((min(size) if may_turn else size.width) for size in sizes)
    if power_of_two:
        powers = [1 << bits for bits in range(longest.bit_length()) if least <= 1 << bits <= longest]
        return [width for width in powers if width * longest >= area]
    side = math.sqrt(area)
    shares = (1.0, 1.005, 1.01, 1.015, 1.02, 1.03, 1.045, 1.06, 1.09, 1.14, 1.2, 1.35, 1.6)
    wanted = [round(side * share) for share in (shares[:4] if len(sizes) > _MANY else shares)]
    return sorted(
        {min(max(width, least), longest) for width in wanted} | ({longest} if side <= longest < side * 1.6 else set())
    )


def _fill(sizes: Sequence[Size], side: int, may_turn: bool) -> list[_Spot | None]:
    """As much as fits on one page, by area."""
    boxes = _array(sizes)
    best: tuple[int, NDArray[np.int64]] | None = None
    for order in _orders(boxes):
        for rule in (0, 1):
            out = np.empty((len(boxes), 3), np.int64)
            _place(boxes[order], side, side, may_turn, rule, out)
            found = np.empty_like(out)
            found[order] = out
            held = int((boxes.prod(axis=1) * (found[:, 0] >= 0)).sum())
            if best is None or held > best[0]:
                best = (held, found)
    assert best is not None
    return [(int(x), int(y), bool(turned)) if x >= 0 else None for x, y, turned in best[1]]


def _orders(boxes: Rectangles) -> list[NDArray[np.int64]]:
    """By height, width, longer side, area and girth, the largest first; equal ones as they come."""
    width, height = boxes[:, 0], boxes[:, 1]
    keys = (
        (-height, -width),
        (-width, -height),
        (-np.maximum(width, height), -np.minimum(width, height)),
        (-width * height, -height),
        (-(width + height), -height),
    )
    return [np.lexsort((second, first)) for first, second in keys]


def _array(sizes: Sequence[Size]) -> Rectangles:
    return np.array([[size.width, size.height] for size in sizes], np.int64).reshape(len(sizes), 2)


def pack_with_rectpack(sizes: Sequence[Size], width: int, may_turn: bool = False) -> tuple[int, list[Placed]]:
    """The same strip through a common library: slower, for comparison and where the compiled loop cannot run."""
    packer = rectpack.newPacker(sort_algo=rectpack.SORT_LSIDE, rotation=may_turn)
    for index, size in enumerate(sizes):
        packer.add_rect(size.width, size.height, index)
    packer.add_bin(width, sum(max(size) for size in sizes) + 1)
    packer.pack()
    found: dict[int, Placed] = {}
    for _, x, y, placed_width, _, index in packer.rect_list():
        found[index] = Placed(0, x, y, placed_width != sizes[index].width)
    if len(found) < len(sizes):
        missing = next(size for index, size in enumerate(sizes) if index not in found)
        raise PartTooLarge(missing.width, missing.height, width)
    places = [found[index] for index in range(len(sizes))]
    ends = (place.y + (size.width if place.turned else size.height) for place, size in zip(places, sizes, strict=True))
    return max(ends, default=0), places
