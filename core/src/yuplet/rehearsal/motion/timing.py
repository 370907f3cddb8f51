"""Which moment of a motion is seen at which time.

Source: W3C Web Animations, "Calculating progress" (4.8 to 4.10): active time, overall and simple iteration progress, directed progress.
Our motions have no delay and no start other than 0.
"""

from typing import Literal, TypeAlias

import numpy as np

from yuplet.rehearsal.motion.easing import Floats

Direction: TypeAlias = Literal["normal", "reverse", "alternate", "alternate-reverse"]
Fill: TypeAlias = Literal["none", "forwards", "backwards", "both"]


def directed(times: Floats, duration: float, iterations: float | None, direction: Direction, fill: Fill) -> Floats:
    """The moment of the motion that is seen at each time, NaN where it has no effect.

    Parameters
    ----------
    times : (T,) float array
        Seconds since the motion began.
    duration : float
        Seconds of one iteration, above 0.
    iterations : float or None
        How often it is played; None for without end.
    direction, fill : str
        As the specification has them.

    Returns
    -------
    (T,) float array
        Seconds from 0 to `duration`.

    Examples
    --------
    >>> directed(np.array([0.5, 1.5, 2.0]), 1.0, None, "alternate", "none").tolist()
    [0.5, 0.5, 0.0]
    """
    active = np.inf if iterations is None else duration * iterations
    is_before, is_after = times < 0, times >= active
    elapsed = np.clip(times, 0, active)
    overall = elapsed / duration
    # Times that were added up from frames meet the whole iteration that they mean.
    whole = np.round(overall)
    overall = np.where(np.abs(overall - whole) < 1e-9, whole, overall)
    simple, current = overall % 1.0, np.floor(overall)
    ends = (simple == 0) & is_after & (active != 0)
    simple, current = np.where(ends, 1.0, simple), np.where(ends, current - 1, current)
    odd = current % 2 == 1
    backwards = {
        "normal": np.zeros_like(odd),
        "reverse": np.ones_like(odd),
        "alternate": odd,
        "alternate-reverse": ~odd,
    }[direction]
    seen = np.where(backwards, 1 - simple, simple) * duration
    seen[is_before & np.array(fill not in ("backwards", "both"))] = np.nan
    seen[is_after & np.array(fill not in ("forwards", "both"))] = np.nan
    return np.asarray(seen, np.float64)
