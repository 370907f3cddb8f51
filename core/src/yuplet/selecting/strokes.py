"""How strokes run on into each other.

Where outlines meet, the one that runs on is in front and the one that ends there is behind (good continuation; M. Wertheimer,
"Untersuchungen zur Lehre von der Gestalt II", Psychologische Forschung 4, 1923). Patches part strokes at every branch, so it is
measured here which of them run on into which.
"""

import numpy as np
from numpy.typing import NDArray

from yuplet.compiled import compiled
from yuplet.selecting.regions import Labels

_THIN = 8.0
"""How many times the square of half its thickness the area of a stroke is at least."""
_ALONG = 4.0
"""How many times its half thickness from where two strokes meet their directions are taken."""


def are_strokes(sizes: NDArray[np.float64], depths: NDArray[np.float64]) -> NDArray[np.bool_]:
    """Which patches are long and thin, by their pixels and how deep they are in px."""
    result: NDArray[np.bool_] = sizes >= _THIN * depths**2
    return result


def runs_on(labels: Labels, sizes: NDArray[np.float64], depths: NDArray[np.float64]) -> NDArray[np.float32]:
    """For each pair of labels, (count, count), how straight one stroke runs on into the other where they meet: 1 straight on, 0 at a
    right angle or more sharply, or where they do not meet or are no strokes.
    """
    count = len(sizes)
    found = np.zeros((count, count), np.float32)
    stroke = np.concatenate([[False], are_strokes(sizes, depths)])
    meets = [_meetings(labels, stroke, one) for one in ((0, 1), (1, 0))]
    places = np.concatenate(meets)
    if not len(places):
        return found
    reach = np.concatenate([[0], depths]).astype(np.float32)
    _runs(labels, places[np.lexsort((places[:, 1], places[:, 0]))], reach, _ALONG, found)
    return found


def _meetings(labels: Labels, stroke: NDArray[np.bool_], step: tuple[int, int]) -> NDArray[np.int32]:
    """Where two strokes are side by side: smaller label, larger label, row, column."""
    height, width = labels.shape
    one, other = labels[: height - step[0], : width - step[1]], labels[step[0] :, step[1] :]
    rows, columns = np.nonzero((one != other) & stroke[one] & stroke[other])
    a, b = one[rows, columns], other[rows, columns]
    return np.stack([np.minimum(a, b), np.maximum(a, b), rows, columns], axis=1).astype(np.int32)


@compiled("void(int32[:, ::1], int32[:, ::1], float32[::1], float64, float32[:, ::1])")
def _runs(
    labels: Labels, places: NDArray[np.int32], depth: NDArray[np.float32], along: float, out: NDArray[np.float32]
) -> None:
    height, width = labels.shape
    count = places.shape[0]
    used = np.zeros(count, np.bool_)
    for start in range(count):
        if used[start]:
            continue
        a, b = places[start, 0], places[start, 1]
        thick = max(depth[a], depth[b])
        # Everything of this pair that is near is one meeting.
        y, x, n = 0.0, 0.0, 0
        for index in range(start, count):
            if places[index, 0] != a or places[index, 1] != b:
                break
            if used[index]:
                continue
            down, across = places[index, 2] - places[start, 2], places[index, 3] - places[start, 3]
            if down * down + across * across <= (3 * thick + 3) ** 2:
                used[index] = True
                y += places[index, 2]
                x += places[index, 3]
                n += 1
        y /= n
        x /= n
        reach = int(along * thick + 3)
        top, left = max(int(y) - reach, 0), max(int(x) - reach, 0)
        bottom, right = min(int(y) + reach + 1, height), min(int(x) + reach + 1, width)
        sums = np.zeros((2, 3))
        for v in range(top, bottom):
            for u in range(left, right):
                label = labels[v, u]
                if label != a and label != b:
                    continue
                down, across = v - y, u - x
                if down * down + across * across > reach * reach:
                    continue
                side = 0 if label == a else 1
                sums[side, 0] += across
                sums[side, 1] += down
                sums[side, 2] += 1
        one = np.hypot(sums[0, 0], sums[0, 1])
        other = np.hypot(sums[1, 0], sums[1, 1])
        if one < 1e-9 or other < 1e-9:
            continue
        straight = -(sums[0, 0] * sums[1, 0] + sums[0, 1] * sums[1, 1]) / (one * other)
        if straight > out[a - 1, b - 1]:
            out[a - 1, b - 1] = straight
            out[b - 1, a - 1] = straight
