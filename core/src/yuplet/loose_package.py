"""A package made of loose images that were lined up: like that of any other art, with a manifest that says where each lies."""

import hashlib
import tempfile
from collections.abc import Sequence
from pathlib import Path, PurePosixPath

import numpy as np

from yuplet.arrangement.first import first_arrangement
from yuplet.errors import PackageError, UnsafePath, shown
from yuplet.geometry import Box, Size
from yuplet.handover import HandOverReport, Progress, hand_over
from yuplet.illustration.layers import Illustration, Layer
from yuplet.paths import PackagePath, within
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.pixels.trimming import content_box, cut
from yuplet.rehearsal.images import decode
from yuplet.rehearsal.lining_up import Laid, pixels_of
from yuplet.writing.pictures import Sources


def package_of(
    folder: Path, places: Sequence[Laid], canvas: Size, out: Path, name: str, progress: Progress
) -> HandOverReport:
    """Hand over the images of a folder at the places that are told.

    Parameters
    ----------
    folder, out : Path
        Holds the images, only read; and where the package goes: empty, absent, or with an earlier one.
    places : sequence of Laid
        Back to front. What lies outside of the canvas is cut off.
    canvas : Size
        Of the picture of the whole, in pixels.
    name : str
        What the art is called.

    Raises
    ------
    PackageError
        No place is told, or an image cannot be read; else as `hand_over`.
    """
    if not places:
        raise PackageError("No image has a place yet. Place at least one.")
    with SpillFile() as scratch:
        layers = []
        for number, laid in enumerate(places, 1):
            key = f"l{number}"
            pixels = _pixels(folder, laid)
            box = content_box(pixels)
            lies = None if box is None else box.moved(laid.x, laid.y).meet(Box.at(0, 0, canvas))
            if lies is not None and lies.is_empty:
                lies = None
            if lies is not None:
                seen = cut(pixels, lies.moved(-laid.x, -laid.y))
                # What is left after cutting may have an empty edge of its own.
                inner = content_box(seen)
                lies = None if inner is None else inner.moved(lies.left, lies.top)
                if inner is not None:
                    scratch.put(key, np.ascontiguousarray(cut(seen, inner)))
            layers.append(Layer(key, PurePosixPath(laid.file).stem, lies))
        illustration = Illustration(name, canvas, tuple(layers))
        arrangement, _ = first_arrangement(illustration)
        digests = {layer.id: scratch.digest(layer.id) for layer in layers if layer.box is not None}
        told = hashlib.sha256(repr((places, sorted(digests.items()))).encode()).hexdigest()
        return hand_over(illustration, arrangement, Sources(scratch, None), out, told, progress, digests=digests)


def _pixels(folder: Path, laid: Laid) -> Picture:
    with tempfile.TemporaryDirectory() as scratch:
        try:
            image = decode(within(folder, PackagePath(laid.file)), Path(scratch, "image.raw"))
        except (OSError, ValueError, UnsafePath) as error:
            raise PackageError(
                f"'{shown(laid.file)}' cannot be read: {error}. Remove it from the positions."
            ) from error
        return pixels_of(image, laid)
