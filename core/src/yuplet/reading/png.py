"""PNG images: what the header says, and the pixels as 8-bit RGBA.

Source: Portable Network Graphics (PNG) Specification, third edition, https://www.w3.org/TR/png-3/.
Limits: 250 million pixels an image, 100 000 a side.
"""

import io
import struct
import zlib
from dataclasses import dataclass
from typing import IO, Any

import imagecodecs
import numpy as np
from numpy.typing import NDArray
from PIL import Image

from yuplet.errors import BrokenFile, TooLarge
from yuplet.geometry import Size
from yuplet.pixels import DeepPicture, Picture
from yuplet.reading import colour

SIGNATURE = b"\x89PNG\r\n\x1a\n"
MAX_PIXELS = 250_000_000
MAX_SIDE = 100_000
MAX_PROFILE = 16 << 20


@dataclass(frozen=True, slots=True)
class PngFacts:
    """What a PNG says of itself, before a pixel is read."""

    size: Size
    bit_depth: int
    colour_type: int
    ppi: float | None
    colour_space: str
    profile: bytes | None = None


def facts(data: bytes, what: str) -> PngFacts:
    """Read the chunks in front of the image data.

    Parameters
    ----------
    data : bytes
        The whole file.
    what : str
        What to call the file in an error.

    Raises
    ------
    BrokenFile
        Not a PNG, or cut off within the header.
    TooLarge
        Beyond the limits of this module.
    """
    if not data.startswith(SIGNATURE) or data[12:16] != b"IHDR" or len(data) < 33:
        raise BrokenFile(f"{what} is not a PNG image, or its first bytes are damaged. Save it again as PNG.")
    width, height, bit_depth, colour_type = struct.unpack(">IIBB", data[16:26])
    if width == 0 or height == 0:
        raise BrokenFile(f"{what} says that it is {width} x {height} px. Save it again as PNG.")
    if width * height > MAX_PIXELS or max(width, height) > MAX_SIDE:
        raise TooLarge(
            f"{what} is {width} x {height} px. Yuplet takes up to {MAX_PIXELS // 1_000_000} million pixels"
            f" and {MAX_SIDE} px a side. Make it smaller or split it."
        )
    ppi, colour_space, profile, at = None, "sRGB", None, 33
    while at + 8 <= len(data):
        (length,) = struct.unpack(">I", data[at : at + 4])
        kind, body = data[at + 4 : at + 8], data[at + 8 : at + 8 + min(length, 100)]
        if kind == b"IDAT":
            break
        if kind == b"pHYs" and len(body) >= 9 and body[8] == 1:
            ppi = round(struct.unpack(">I", body[:4])[0] * 0.0254, 2)
        if kind == b"iCCP":
            profile = _profile(data[at + 8 : at + 8 + length])
            colour_space = colour.name_of(profile) or "a profile that cannot be read"
        at += 12 + length
    return PngFacts(Size(width, height), bit_depth, colour_type, ppi, colour_space, profile)


def _profile(body: bytes) -> bytes:
    """The profile of an iCCP chunk (section 11.3.2.3): a name, a zero, the method 0, and the data compressed.

    Empty when it is damaged.
    """
    rest = body.partition(b"\0")[2]
    try:
        return zlib.decompressobj().decompress(rest[1:], MAX_PROFILE) if rest[:1] == b"\0" else b""
    except zlib.error:
        return b""


def size_of(start: bytes) -> Size | None:
    """The size that the first 24 bytes of a PNG tell; None where they are of something else."""
    if not start.startswith(SIGNATURE) or start[12:16] != b"IHDR" or len(start) < 24:
        return None
    return Size(*struct.unpack(">II", start[16:24]))


def without_pixels(image: Image.Image) -> Image.Image:
    """For a PNG that is opened and not decoded one of one pixel, with all that it says in words: texts, XMP, Exif. Pillow looks for these behind
    the pixels as well, and decodes them all on the way. Any other image is answered as it is.
    """
    file: IO[bytes] | None = getattr(image, "fp", None)
    if image.format != "PNG" or file is None:
        return image
    pixel, found, left, at = io.BytesIO(), [], _MOST_WORDS, file.tell()
    Image.new("L", (1, 1)).save(pixel, "PNG")
    file.seek(len(SIGNATURE))
    while len(head := file.read(8)) == 8:
        length, kind = struct.unpack(">I4s", head)
        if kind in _WORDS and length <= left:
            left -= length
            found.append(head + file.read(length + 4))
        else:
            file.seek(length + 4, io.SEEK_CUR)
    file.seek(at)
    start, rest = pixel.getvalue()[:_AFTER_HEAD], pixel.getvalue()[_AFTER_HEAD:]
    said = Image.open(io.BytesIO(b"".join([start, *found, rest])), formats=["PNG"])
    said.load()
    return said


_WORDS = (b"tEXt", b"zTXt", b"iTXt", b"eXIf")
_MOST_WORDS = 16 << 20
_AFTER_HEAD = len(SIGNATURE) + 25


def gives_back(data: bytes) -> bool:
    """Whether any frame of an animated PNG is to be disposed of by giving back what lay under it (section 11.3.6.2)."""
    at = len(SIGNATURE)
    while at + 8 <= len(data):
        length, kind = struct.unpack(">I4s", data[at : at + 8])
        if kind == b"fcTL" and length == 26 and data[at + 8 + 24] == 2:
            return True
        at += 12 + length
    return False


def decode(data: bytes, what: str) -> Picture:
    """Decode a PNG of any colour type and depth.

    Parameters
    ----------
    data : bytes
        The whole file; its `facts` must have been looked at for the limits.
    what : str
        What to call the file in an error.

    Returns
    -------
    (H, W, 4) uint8
        Straight RGBA. 16-bit samples are rounded to the nearest of 8 bits (v * 255 / 65535).

    Raises
    ------
    BrokenFile
        The image data is damaged or cut off.
    """
    image = _decoded(data, what)
    if image.dtype == np.uint16:
        image = ((image.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8)
    return _as_rgba(image, 255)


def decode_deep(data: bytes, what: str) -> DeepPicture | None:
    """Decode a PNG of 16 bits a channel as it is, (H, W, 4) uint16; None for any other. Raises `BrokenFile`."""
    image = _decoded(data, what)
    return _as_rgba(image, 65535) if image.dtype == np.uint16 else None


def _decoded(data: bytes, what: str) -> NDArray[Any]:
    try:
        image: NDArray[Any] = imagecodecs.png_decode(data)
    except (imagecodecs.PngError, ValueError) as error:
        raise BrokenFile(f"{what} is damaged and cannot be decoded. Save it again as PNG.") from error
    return image[..., None] if image.ndim == 2 else image


def _as_rgba(image: NDArray[Any], opaque: int) -> NDArray[Any]:
    channels = image.shape[2]
    if channels == 4:
        return np.ascontiguousarray(image)
    picture = np.empty((*image.shape[:2], 4), image.dtype)
    picture[..., :3] = image[..., :1] if channels < 3 else image[..., :3]
    picture[..., 3] = image[..., 1] if channels == 2 else opaque
    return picture
