"""Parts that go on beyond the view, so that they cover the way of a camera."""

import cv2
import numpy as np
from numpy.typing import NDArray

from yuplet.derivation.content import Content, Derived
from yuplet.geometry import Box
from yuplet.illustration.derived import Widened

_PAD = {"mirror": "symmetric", "repeat": "wrap"}


def widened(layer: Content, derivation: Widened) -> Derived:
    """A layer with more to the left and the right.

    Mirrored on or repeated, its own pixels stay as they are, and what is added is known as such. Enlarged, all of it is drawn larger
    about its own middle until it is as wide (OpenCV's bicubic interpolation of premultiplied values): the picture is another
    one then.
    """
    box = layer.box
    wide = box.width + derivation.left + derivation.right
    if derivation.how == "enlarge":
        high = max(1, round(box.height * wide / box.width))
        top = round((box.top + box.bottom - high) / 2)
        picture = _enlarged(layer.picture, wide, high)
        added = cv2.resize(layer.all_added.astype(np.uint8), (wide, high), interpolation=cv2.INTER_NEAREST) > 0
        there = Box(box.left - derivation.left, top, box.left - derivation.left + wide, top + high)
        return Derived(there, picture, derivation, None, added if added.any() else None)
    sides = (derivation.left, derivation.right)
    picture = np.pad(layer.picture, ((0, 0), sides, (0, 0)), mode=_PAD[derivation.how])  # type: ignore[call-overload]
    added = np.pad(layer.all_added, ((0, 0), sides), constant_values=True) & (picture[..., 3] > 0)
    there = Box(box.left - derivation.left, box.top, box.right + derivation.right, box.bottom)
    return Derived(there, np.ascontiguousarray(picture), derivation, None, added)


def _enlarged(picture: NDArray[np.uint8], width: int, height: int) -> NDArray[np.uint8]:
    values = picture.astype(np.float32)
    values[..., :3] *= values[..., 3:] / 255
    larger = np.clip(cv2.resize(values, (width, height), interpolation=cv2.INTER_CUBIC), 0, 255)
    alpha = larger[..., 3:]
    np.divide(larger[..., :3] * 255, alpha, out=larger[..., :3], where=alpha > 0)
    result = np.clip(np.rint(larger), 0, 255).astype(np.uint8)
    result[result[..., 3] == 0] = 0
    return result
