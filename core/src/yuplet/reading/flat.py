"""Flat pictures: PNG, JPEG, WebP, TIFF, GIF and AVIF; one layer, or one for each page or frame of the file.

Frames come as they are seen: what the file says of disposing and blending is done. Durations and loops are kept.

PNG is decoded as in `png`, everything else by Pillow (16-bit TIFF by OpenCV). Limits: 250 million pixels, 100 000 a side,
2 000 pages or frames, 1 000 million pixels in all pages and 500 million in all frames of an animation.
"""

import zipfile
from collections.abc import Iterator
from dataclasses import dataclass, replace
from pathlib import Path, PurePath

import cv2
import numpy as np
from PIL import Image, ImageOps, ImageSequence

from yuplet.errors import BrokenFile, ReadError, TooLarge
from yuplet.geometry import Size
from yuplet.illustration.credit import Credit
from yuplet.illustration.interchange import MAX_LAYERS
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode, ReadingReport
from yuplet.pixels import DeepPicture, Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.pixels.trimming import content_box, cut, is_opaque
from yuplet.reading import colour, credits, png
from yuplet.reading.choices import AS_THE_FILE_SAYS, Choices, SheetCut
from yuplet.reading.sheet import check_sheet, cut_sheet, seems_sheet

FORMATS = ("PNG", "JPEG", "WEBP", "TIFF", "GIF", "AVIF")
MAX_PIXELS_IN_ALL = 1_000_000_000
MAX_SCANS = 100
"""Scans of a JPEG; programs write a dozen."""
MAX_PIXELS_OF_FRAMES = 500_000_000
"""Pixels of all frames of an animation: 1,900 of 512 x 512. Those count twice and more that must be drawn to draw another one."""
_ORIENTATION = 0x0112

# The limits are ours, and are looked at before a pixel is decoded.
Image.MAX_IMAGE_PIXELS = None


@dataclass(slots=True, kw_only=True)
class _Facts:
    """What the file says of itself."""

    count: int
    form: str
    ppi: float | None
    bit_depth: int = 8
    colour_space: str = "sRGB"
    deep: DeepPicture | None = None
    """The 16 bits a channel of the one picture that was read last, where they could be kept."""
    loops: int = 0
    has_still: bool = False
    """Whether the first picture stands in for the animation, and is not part of it (APNG)."""

    @property
    def is_animated(self) -> bool:
        return self.count > 1 and self.form != "TIFF"


def is_flat(start: bytes) -> bool:
    """Whether the first bytes of a file are those of a flat picture of a kind that is read here."""
    return (
        start.startswith((png.SIGNATURE, b"\xff\xd8\xff", b"GIF87a", b"GIF89a", b"II*\0", b"MM\0*"))
        or (start[:4] == b"RIFF" and start[8:12] == b"WEBP")
        or start[4:12] in (b"ftypavif", b"ftypavis")
    )


def read(
    path: Path, scratch: SpillFile, file_name: str, choices: Choices = AS_THE_FILE_SAYS, prefix: str = ""
) -> tuple[Illustration, ReadingReport]:
    """Read a flat picture, called `file_name` where it came from; its pixels go to the scratch file under 'l1', 'l2', ...

    All ids begin with `prefix`.

    A file of one picture is one layer named by the file's stem. Pages of a TIFF are a layer each, all seen; the frames of
    an animation are the members of one group that says so, and so are the cells of a sheet, where `choices.sheet` cuts it.
    Raises `BrokenFile`, `TooLarge` or `ChoiceError`.
    """
    what, stem = f"'{file_name}'", PurePath(file_name).stem
    report = ReadingReport()
    layers: list[Layer] = []
    canvas, left, credit = Size(0, 0), MAX_PIXELS_IN_ALL, Credit()
    try:
        with Image.open(path, formats=FORMATS) as image:
            facts, credit = _facts(image), credits.of_image(image)
            if facts.form == "JPEG" and path.read_bytes().count(b"\xff\xda") > MAX_SCANS:
                raise TooLarge(
                    f"{what} has more than {MAX_SCANS} scans, each of which goes over the whole picture. Save it again."
                )
            if facts.count > MAX_LAYERS:
                raise TooLarge(f"{what} has {facts.count} pages or frames; Yuplet takes up to {MAX_LAYERS}. Split it.")
            if facts.is_animated:
                _check_animation(image, path, what)
            # One after the other: each is in the scratch file before the next is decoded.
            for number, frame in enumerate(_frames(image, path), 1):
                size = Size(*frame.size)
                _check_limits(size, left, what)
                picture = _picture(frame, path, facts, what, report)
                if choices.sheet is not None:
                    return _from_sheet(picture, choices.sheet, what, facts, scratch, stem, credit, report)
                duration = frame.info.get("duration") if facts.is_animated else None
                milliseconds = None if duration is None else round(float(duration))
                layers.append(_layer(number, picture, stem, milliseconds, facts, scratch, prefix))
                canvas = Size(max(canvas.width, picture.shape[1]), max(canvas.height, picture.shape[0]))
                left -= size.pixels
                cells = seems_sheet(picture) if facts.count == 1 and not prefix else None
                if cells is not None:
                    count, (wide, high) = cells.columns * cells.rows, cells.cell
                    report.add("sheet", f"{count} cells of {wide} × {high} px found. Cut into frames?")
                if facts.count == 1 and is_opaque(picture):
                    report.add(
                        "information", "The picture has no transparency: it is one part until it is taken apart."
                    )
    except (ReadError, MemoryError):
        raise
    except Exception as error:
        # Pillow's readers raise errors of many kinds for damaged files.
        raise BrokenFile(
            f"{what} is damaged and cannot be decoded. Save it again and bring it in once more."
        ) from error
    _say_what_it_is(facts, report)
    nodes = _animated(layers, stem, facts, prefix) if facts.is_animated else tuple(layers)
    illustration = Illustration(
        stem, canvas, nodes, ppi=facts.ppi, colour_space=facts.colour_space, bit_depth=facts.bit_depth, credit=credit
    )
    report.counts = illustration.counts()
    return illustration, report


def _facts(image: Image.Image) -> _Facts:
    dots = image.info.get("dpi")
    ppi = round(float(dots[0]), 2) if dots and float(dots[0]) > 0 else None
    facts = _Facts(count=getattr(image, "n_frames", 1), form=image.format or "", ppi=ppi)
    facts.has_still = facts.is_animated and bool(image.info.get("default_image"))
    loops = image.info.get("loop")
    if facts.form == "GIF":
        # The file counts the repetitions after the first time, and says nothing where there are none.
        facts.loops = 1 if loops is None else 0 if loops == 0 else loops + 1
    else:
        facts.loops = loops or 0
    return facts


def _seeks(image: Image.Image, path: Path) -> bool:
    """Whether each frame must be sought from the start."""
    return image.format == "PNG" and getattr(image, "is_animated", False) and png.gives_back(path.read_bytes())


def _frames(image: Image.Image, path: Path) -> Iterator[Image.Image]:
    """Each page or frame in its turn."""
    if not _seeks(image, path):
        yield from ImageSequence.Iterator(image)
        return
    # Pillow 13 gives back the wrong frame where one before it was looked at; each is sought from the start.
    for index in range(getattr(image, "n_frames", 1)):
        with Image.open(path, formats=("PNG",)) as fresh:
            fresh.seek(index)
            yield fresh


def _check_animation(image: Image.Image, path: Path, what: str) -> None:
    """All frames have the size of the first; looked at before any is decoded."""
    count = getattr(image, "n_frames", 1)
    drawn = count * (count + 1) // 2 if _seeks(image, path) else count
    if drawn * image.width * image.height > MAX_PIXELS_OF_FRAMES:
        raise TooLarge(
            f"{what} has {count:,} frames of {image.width} x {image.height} px, more than Yuplet takes. Make them smaller, or split it."
        )


def size_in(archive: zipfile.ZipFile, entry: zipfile.ZipInfo) -> Size:
    """The size in all pages or frames that a picture in an archive tells of itself; nothing of one that is damaged, which is told when it is read."""
    try:
        with archive.open(entry) as file, Image.open(file, formats=FORMATS) as image:
            return Size(image.width, image.height * int(getattr(image, "n_frames", 1)))
    except Exception:  # as in `read`
        return Size(0, 0)


def _check_limits(size: Size, left: int, what: str) -> None:
    """Looked at for each page and frame, before a pixel of it is decoded."""
    if size.pixels > png.MAX_PIXELS or max(size) > png.MAX_SIDE:
        raise TooLarge(
            f"{what} is {size.width} x {size.height} px. Yuplet takes up to {png.MAX_PIXELS // 1_000_000} million pixels"
            f" and {png.MAX_SIDE} px a side. Make it smaller or split it."
        )
    if size.pixels > left:
        raise TooLarge(
            f"{what} has more than {MAX_PIXELS_IN_ALL // 1_000_000} million pixels in all its pages or frames. Split it."
        )


def _plain_png(data: bytes, what: str, orientation: int, facts: _Facts, report: ReadingReport) -> Picture:
    found = png.facts(data, what)
    picture = png.decode(data, what)
    facts.bit_depth, facts.ppi = found.bit_depth, found.ppi
    if found.bit_depth == 16 and orientation == 1 and (found.profile is None or colour.is_srgb(found.profile)):
        facts.deep = png.decode_deep(data, what)
    if found.profile is not None:
        picture = _converted(picture, found.profile, found.colour_space, facts, report)
    if orientation == 1:
        return picture
    image = Image.fromarray(picture, "RGBA")
    image.getexif()[_ORIENTATION] = orientation
    return np.array(_upright(image, report))


def _orientation(frame: Image.Image) -> int:
    return int(png.without_pixels(frame).getexif().get(_ORIENTATION, 1))


def _upright(image: Image.Image, report: ReadingReport) -> Image.Image:
    report.add("converted", "It was turned upright, as its orientation tag asks.")
    return ImageOps.exif_transpose(image)


def _picture(frame: Image.Image, path: Path, facts: _Facts, what: str, report: ReadingReport) -> Picture:
    """One page or frame as straight RGBA in sRGB, turned as the camera's note wants it."""
    if facts.form == "PNG" and facts.count == 1:
        return _plain_png(path.read_bytes(), what, _orientation(frame), facts, report)
    frame.load()
    if facts.form == "TIFF" and (frame.mode in ("I;16", "I;16B", "I", "F") or _has_16_bits(frame, facts)):
        return _deep(path, what, facts)
    if _orientation(frame) != 1:
        frame = _upright(frame, report)
    profile = frame.info.get("icc_profile")
    name = colour.name_of(profile) if profile else None
    if frame.mode == "CMYK":
        return _from_cmyk(frame, profile, name, facts, report)
    picture = np.array(frame.convert("RGBA"))
    if profile is not None:
        picture = _converted(picture, profile, name or "a profile that cannot be read", facts, report)
    return picture


def _from_cmyk(
    frame: Image.Image, profile: bytes | None, name: str | None, facts: _Facts, report: ReadingReport
) -> Picture:
    converted = colour.image_to_srgb(frame, profile) if profile else None
    facts.colour_space = f"CMYK{f', {name}' if name else ''}"
    how = f"by its profile '{name}'" if converted is not None else "without a profile, so that they are a guess"
    report.add("converted", f"Its colours are for print (CMYK) and were converted to sRGB {how}.")
    return np.array((converted or frame.convert("RGB")).convert("RGBA"))


def _converted(picture: Picture, profile: bytes, name: str, facts: _Facts, report: ReadingReport) -> Picture:
    if colour.is_srgb(profile):
        return picture
    facts.colour_space = name
    converted = colour.to_srgb(picture, profile)
    if converted is None:
        report.add(
            "not understood", f"Its colour profile '{name}' does not fit the picture; its numbers are taken as sRGB."
        )
        return picture
    report.add("converted", f"Its colours were converted from '{name}' to sRGB.")
    return converted


def _deep(path: Path, what: str, facts: _Facts) -> Picture:
    """A picture of 16 bits or floating point, which Pillow would cut off, rounded to 8."""
    image = cv2.imread(str(path), cv2.IMREAD_UNCHANGED)
    if image is None or image.dtype not in (np.uint8, np.uint16):
        raise BrokenFile(
            f"{what} keeps its numbers in a way that is not read. Save it again with 8 or 16 bits a channel."
        )
    if image.dtype == np.uint16:
        facts.bit_depth = 16
        facts.deep = np.asarray(cv2.cvtColor(image, _CODES[1 if image.ndim == 2 else image.shape[2]]), np.uint16)
        image = ((image.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
    return np.asarray(cv2.cvtColor(image, _CODES[1 if image.ndim == 2 else image.shape[2]]), np.uint8)


_CODES = {1: cv2.COLOR_GRAY2RGBA, 3: cv2.COLOR_BGR2RGBA, 4: cv2.COLOR_BGRA2RGBA}
"""OpenCV's conversions to RGBA by the number of channels."""


def _has_16_bits(frame: Image.Image, facts: _Facts) -> bool:
    """Whether Pillow would cut a picture of several channels to 8 bits without a word (TIFF 6.0, BitsPerSample)."""
    bits = getattr(frame, "tag_v2", {}).get(258, ())
    is_plain = frame.mode in ("RGB", "RGBA") and not frame.info.get("icc_profile")
    return facts.count == 1 and is_plain and max(bits, default=8) == 16 and _orientation(frame) == 1


def _layer(
    number: int, picture: Picture, stem: str, milliseconds: int | None, facts: _Facts, scratch: SpillFile, prefix: str
) -> Layer:
    box = content_box(picture)
    if box is not None:
        scratch.put(f"{prefix}l{number}", cut(picture, box))
        if facts.deep is not None and facts.count == 1:
            scratch.put_deep(f"{prefix}l{number}", cut(facts.deep, box))
    is_seen = number == 1 or facts.form == "TIFF"
    return Layer(
        f"{prefix}l{number}", _layer_name(stem, number, facts), box, visible=is_seen, milliseconds=milliseconds
    )


def _from_sheet(
    picture: Picture,
    sheet: SheetCut,
    what: str,
    facts: _Facts,
    scratch: SpillFile,
    stem: str,
    credit: Credit,
    report: ReadingReport,
) -> tuple[Illustration, ReadingReport]:
    """The cells of a sheet as the frames of one part, on a canvas as large as a cell."""
    facts.count, facts.form = sheet.columns * sheet.rows, "a sheet"
    layers = [
        _layer(number, np.ascontiguousarray(cell), stem, None, facts, scratch, "")
        for number, cell in enumerate(cut_sheet(picture, sheet, what), 1)
    ]
    report.add("information", f"It was cut into {sheet.columns} x {sheet.rows} frames of one part.")
    for finding in check_sheet(picture, sheet, what):
        path = () if finding.cell is None else (stem, layers[finding.cell - 1].name)
        report.add("cut", finding.sentence, path)
    nodes = _animated(layers, stem, facts, "") if len(layers) > 1 else tuple(layers)
    illustration = Illustration(
        stem,
        sheet.cell,
        nodes,
        ppi=facts.ppi,
        colour_space=facts.colour_space,
        bit_depth=facts.bit_depth,
        credit=credit,
    )
    report.counts = illustration.counts()
    return illustration, report


def _layer_name(stem: str, number: int, facts: _Facts) -> str:
    if facts.count == 1:
        return stem
    if facts.has_still:
        number -= 1
    digits = len(str(facts.count))
    return f"{'page' if facts.form == 'TIFF' else 'frame'} {number:0{digits}}"


def _animated(layers: list[Layer], stem: str, facts: _Facts, prefix: str) -> tuple[LayerNode, ...]:
    """The frames as one group; a picture that only stands in for them beside it, hidden."""
    if not facts.has_still:
        return (LayerGroup(f"{prefix}frames", stem, tuple(layers), are_frames=True, loops=facts.loops),)
    still, first, *others = layers
    frames = (replace(first, visible=True), *others)
    beside = replace(still, name="still picture", visible=False, milliseconds=None)
    return (beside, LayerGroup(f"{prefix}frames", stem, frames, are_frames=True, loops=facts.loops))


def _say_what_it_is(facts: _Facts, report: ReadingReport) -> None:
    if facts.bit_depth == 16:
        kept = (
            "were rounded to 8"
            if facts.deep is None
            else "are kept; what is handed over has 8, or 16 where a recipe says so"
        )
        report.add("information", f"16 bits a channel {kept}.")
    if facts.has_still:
        report.add(
            "information", "It has a still picture for programs that show no animation: a hidden part of its own."
        )
    if facts.is_animated:
        count = facts.count - facts.has_still
        times = "without end" if facts.loops == 0 else "once" if facts.loops == 1 else f"{facts.loops} times"
        report.add("information", f"It is animated: one part of {count} frames, played {times}.")
    elif facts.count > 1:
        report.add("information", f"It has {facts.count} pages: each is a layer, the first at the back.")
