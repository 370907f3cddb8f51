"""A film as a file: animated images, numbered images, or a video, each written to the end or not at all.

Formats: PNG with animation (PNG, third edition), WebP (lossless), GIF89a (one bit of alpha), numbered PNG in a ZIP, WebM with VP9. Pillow and OpenCV
write them.
"""

import io
import zipfile
from collections.abc import Callable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import Final, Literal, TypeAlias

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from yuplet.errors import MotionError
from yuplet.rehearsal.film import Film

Kind: TypeAlias = Literal["apng", "webp", "gif", "png", "webm"]
ENDINGS: Final[dict[Kind, str]] = {"apng": ".png", "webp": ".webp", "gif": ".gif", "png": ".zip", "webm": ".webm"}
MOST_HELD = 400_000_000
"""Pixels of all pictures of an animated PNG or GIF, which its writer holds until the end."""
MOST_PIXELS = 30_000_000_000
"""Of all pictures of any film: some four hours of 1920 x 1080 at 1 a second, ten minutes at 24."""
WHITE = (255, 255, 255)
_HALF = 128
"""Alpha from here on is seen in a GIF, which has one bit for it (common practice, no published source)."""


def write_film(
    film: Film,
    kind: Kind,
    path: Path,
    progress: Callable[[int, int], None] = lambda done, total: None,
    workers: int = 2,
) -> None:
    """Write all pictures of a film to a file, which is there when all of them are in it.

    `progress` is told (pictures done, pictures in all), and may raise to stop. A video has no alpha: what is seen through is white.

    Raises
    ------
    MotionError
        The film is too large for the format.
    """
    pixels = film.count * film.width * film.height
    if pixels > MOST_PIXELS:
        raise MotionError(
            f"{film.count:,} pictures of {film.width:,} x {film.height:,} px are more than any film may have."
            " Choose a smaller width, fewer pictures a second, or a shorter motion."
        )
    if kind in ("apng", "gif") and pixels > MOST_HELD:
        raise MotionError(
            f"{film.count:,} pictures of {film.width:,} x {film.height:,} px are too much for one such file."
            " Choose WebP, WebM or numbered PNG, a smaller width, or fewer pictures a second."
        )
    unfinished = path.with_name(f".{path.name}")
    try:
        with ThreadPoolExecutor(workers) as pool:
            pictures = _counted(_drawn(film, pool, workers), film.count, progress)
            _WRITERS[kind](film, pictures, unfinished)
        unfinished.replace(path)
    finally:
        unfinished.unlink(missing_ok=True)


def _drawn(film: Film, pool: ThreadPoolExecutor, workers: int) -> Iterator[NDArray[np.uint8]]:
    """The pictures in order, a few ahead of whoever takes them."""
    waiting: list[Future[NDArray[np.uint8]]] = []
    try:
        for number in range(film.count):
            waiting.append(pool.submit(film.picture, number))
            if len(waiting) > 2 * workers:
                yield waiting.pop(0).result()
        while waiting:
            yield waiting.pop(0).result()
    finally:
        for one in waiting:
            one.cancel()


def _counted(
    pictures: Iterator[NDArray[np.uint8]], total: int, progress: Callable[[int, int], None]
) -> Iterator[NDArray[np.uint8]]:
    for number, picture in enumerate(pictures):
        progress(number, total)
        yield picture


def _write_apng(film: Film, pictures: Iterator[NDArray[np.uint8]], path: Path) -> None:
    # Pillow goes through them twice.
    first, *rest = [Image.fromarray(picture, "RGBA") for picture in pictures]
    with path.open("wb") as out:
        first.save(
            out, "PNG", save_all=True, append_images=rest, loop=0, duration=1000 / film.rate, blend=0, disposal=0,
            compress_level=4,
        )  # fmt: skip


def _write_webp(film: Film, pictures: Iterator[NDArray[np.uint8]], path: Path) -> None:
    images = (Image.fromarray(picture, "RGBA") for picture in pictures)
    first = next(images)
    with path.open("wb") as out:
        first.save(
            out, "WEBP", save_all=True, append_images=images, loop=0, duration=_whole_times(film, 1000), lossless=True,
            quality=0, method=0,
        )  # fmt: skip


def _write_gif(film: Film, pictures: Iterator[NDArray[np.uint8]], path: Path) -> None:
    def one_bit(picture: NDArray[np.uint8]) -> Image.Image:
        seen = picture[..., 3] >= _HALF
        colours = Image.fromarray(picture[..., :3], "RGB").quantize(255, dither=Image.Dither.NONE)
        indexed = np.asarray(colours).copy()
        indexed[~seen] = 255
        made = Image.fromarray(indexed, "P")
        palette = (colours.getpalette() or [])[: 255 * 3]
        made.putpalette([*palette, *[0] * (768 - len(palette))])
        made.info["transparency"] = 255
        return made

    images = (one_bit(picture) for picture in pictures)
    first = next(images)
    # The format counts in hundredths of a second.
    times = _whole_times(film, 100)
    with path.open("wb") as out:
        first.save(
            out, format="GIF", save_all=True, append_images=images, duration=[10 * time for time in times] if isinstance(times, list) else 10 * times,
            loop=0, disposal=2, transparency=255, optimize=False,
        )  # fmt: skip


def _write_png(film: Film, pictures: Iterator[NDArray[np.uint8]], path: Path) -> None:
    width = max(4, len(str(film.count)))
    with zipfile.ZipFile(path, "w", zipfile.ZIP_STORED) as archive:
        for number, picture in enumerate(pictures, 1):
            data = io.BytesIO()
            Image.fromarray(picture, "RGBA").save(data, "PNG", compress_level=1)
            archive.writestr(zipfile.ZipInfo(f"{number:0{width}}.png"), data.getvalue())


def _write_webm(film: Film, pictures: Iterator[NDArray[np.uint8]], path: Path) -> None:
    # Its colours are kept for squares of four pixels.
    width, height = film.width + film.width % 2, film.height + film.height % 2
    named = path.with_suffix(".webm")
    video = cv2.VideoWriter(str(named), cv2.VideoWriter.fourcc(*"VP90"), float(film.rate), (width, height))
    if not video.isOpened():
        raise MotionError("This machine cannot write WebM. Choose another format.")
    try:
        for picture in pictures:
            frame = np.full((height, width, 3), WHITE, np.uint8)
            alpha = picture[..., 3:].astype(np.uint16)
            mixed = (picture[..., :3] * alpha + 255 * (255 - alpha) + 127) // 255
            frame[: film.height, : film.width] = mixed[..., ::-1]
            video.write(frame)
    except BaseException:
        video.release()
        named.unlink(missing_ok=True)
        raise
    video.release()
    named.replace(path)


def _whole_times(film: Film, units: int) -> list[int] | int:
    """How long each picture is seen in whole parts of a second, rounded so that all of them are as long together as they should be."""
    ends = [round(units * number / film.rate) for number in range(film.count + 1)]
    times = [max(1, end - start) for start, end in zip(ends, ends[1:], strict=False)]
    return times if len(times) > 1 else times[0]


_WRITERS: Final[dict[Kind, Callable[[Film, Iterator[NDArray[np.uint8]], Path], None]]] = {
    "apng": _write_apng,
    "webp": _write_webp,
    "gif": _write_gif,
    "png": _write_png,
    "webm": _write_webm,
}
