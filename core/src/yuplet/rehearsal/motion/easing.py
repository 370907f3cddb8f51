"""How fast something goes on between two keys, in the words of CSS.

Source: W3C CSS Easing Functions Level 2 (linear with points, cubic-bezier and its four names, steps).
"""

import re
from collections.abc import Callable
from functools import lru_cache
from typing import Final, TypeAlias

import numpy as np
from numpy.typing import NDArray

from yuplet.errors import MotionError, shown

Floats: TypeAlias = NDArray[np.float64]
Easing: TypeAlias = Callable[[Floats], Floats]

NAMES: Final = {
    "ease": "cubic-bezier(0.25, 0.1, 0.25, 1)",
    "ease-in": "cubic-bezier(0.42, 0, 1, 1)",
    "ease-out": "cubic-bezier(0, 0, 0.58, 1)",
    "ease-in-out": "cubic-bezier(0.42, 0, 0.58, 1)",
    "step-start": "steps(1, start)",
    "step-end": "steps(1, end)",
}
"""What the specification says that its names stand for."""
MOST_POINTS = 200
LONGEST = 4000
"""Characters of an easing."""
_SAMPLES = 4097
_NUMBER = r"[+-]?(?:\d+\.?\d*|\.\d+)(?:e[+-]?\d+)?"
_CALL = re.compile(r"([a-z-]+)\(([^()]*)\)")
_POINT = re.compile(
    rf"(?:(?P<first>{_NUMBER}%)\s+)?(?:(?P<second>{_NUMBER}%)\s+)?(?P<value>{_NUMBER})(?P<after>(?:\s+{_NUMBER}%){{0,2}})"
)


@lru_cache(256)
def easing(text: str) -> Easing:
    """The function that a CSS easing describes: from progress (0 to 1, any shape) to progress as it is eased.

    Raises
    ------
    MotionError
        The text is no easing function.

    Examples
    --------
    >>> easing("steps(4, jump-start)")(np.array([0.0, 0.3, 1.0])).tolist()
    [0.25, 0.5, 1.0]
    """
    plain = NAMES.get(text.strip().lower(), text.strip().lower())
    if plain == "linear":
        return lambda progress: progress
    call = _CALL.fullmatch(plain) if len(plain) <= LONGEST else None
    try:
        if call is not None:
            name, inside = call.groups()
            arguments = [piece.strip() for piece in inside.split(",")]
            if name == "cubic-bezier":
                return _bezier(*(_number(piece) for piece in arguments))
            if name == "steps":
                return _steps(*arguments)
            if name == "linear":
                return _linear(arguments)
    except (ValueError, TypeError) as error:
        raise MotionError(f"'{shown(text)}' is no easing: {error}. {_EXAMPLES}") from error
    raise MotionError(f"'{shown(text)}' is no easing. {_EXAMPLES}")


_EXAMPLES = (
    "Write for example 'linear', 'ease-in-out', 'cubic-bezier(0.3, 0, 0.2, 1)', 'steps(4)' or 'linear(0, 0.8, 1)'."
)


def _number(text: str) -> float:
    if not re.fullmatch(_NUMBER, text):
        raise ValueError(f"'{shown(text)}' is no number")
    number = float(text)
    if not np.isfinite(number) or abs(number) > 1e6:
        raise ValueError(f"'{shown(text)}' is too large")
    return number


def _bezier(x1: float, y1: float, x2: float, y2: float) -> Easing:
    """A curve from (0, 0) to (1, 1) by two points, whose x must lie between 0 and 1."""
    if not (0 <= x1 <= 1 and 0 <= x2 <= 1):
        raise ValueError("the first and the third number of a curve lie between 0 and 1")
    along = np.linspace(0, 1, _SAMPLES)
    before, after = 3 * along * (1 - along) ** 2, 3 * along**2 * (1 - along)
    xs, ys = before * x1 + after * x2 + along**3, before * y1 + after * y2 + along**3
    return lambda progress: np.interp(progress, xs, ys)


_JUMPS: Final = {"start": "jump-start", "end": "jump-end"}


def _steps(count: str, jump: str = "end") -> Easing:
    jump = _JUMPS.get(jump, jump)
    if jump not in ("jump-start", "jump-end", "jump-none", "jump-both"):
        raise ValueError(f"'{shown(jump)}' is none of jump-start, jump-end, jump-none and jump-both")
    least = 2 if jump == "jump-none" else 1
    if not re.fullmatch(r"\d{1,6}", count) or int(count) < least:
        raise ValueError(f"the number of steps is a whole number from {least}")
    number = int(count)
    jumps = number + {"jump-none": -1, "jump-both": 1}.get(jump, 0)
    first = 1 if jump in ("jump-start", "jump-both") else 0

    def stepped(progress: Floats) -> Floats:
        # Times computed in different ways meet at the same step.
        reached = np.floor(progress * number + 1e-9) + first
        return np.asarray(np.clip(reached, 0, jumps) / jumps, np.float64)

    return stepped


def _linear(points: list[str]) -> Easing:
    if not 1 < len(points) <= MOST_POINTS:
        raise ValueError(f"it needs 2 to {MOST_POINTS} points")
    values: list[float] = []
    places: list[float | None] = []
    for point in points:
        match = _POINT.fullmatch(point)
        if match is None:
            raise ValueError(f"'{shown(point)}' is no point such as '0.5' or '0.5 20%'")
        percents = [one for one in (match["first"], match["second"], *match["after"].split()) if one]
        if len(percents) > 2:
            raise ValueError(f"'{shown(point)}' has more than two places")
        value = _number(match["value"])
        values += [value] * max(1, len(percents))
        places += [_number(one[:-1]) / 100 for one in percents] or [None]
    return _through(values, places)


def _through(values: list[float], places: list[float | None]) -> Easing:
    """Straight lines through points; those without a place are spread evenly between their neighbours, and none lies before another."""
    places[0] = 0.0 if places[0] is None else places[0]
    places[-1] = max(1.0, *(place or 0.0 for place in places)) if places[-1] is None else places[-1]
    largest = -np.inf
    for at, place in enumerate(places):
        if place is not None:
            largest = max(largest, place)
            places[at] = largest
    known = [at for at, place in enumerate(places) if place is not None]
    xs = np.interp(np.arange(len(places)), known, [float(places[at] or 0) for at in known])
    ys = np.array(values)

    def lined(progress: Floats) -> Floats:
        # Of several points at one place the last holds from there; beyond the ends the nearest line goes on.
        at = np.clip(np.searchsorted(xs, progress, side="right") - 1, 0, len(xs) - 2)
        width = xs[at + 1] - xs[at]
        share = np.divide(progress - xs[at], width, out=np.ones_like(progress), where=width > 0)
        return np.asarray(ys[at] + share * (ys[at + 1] - ys[at]), np.float64)

    return lined
