"""Files that are made to take long, to take much memory or to lead astray: bombs of each format, loops, deep nesting, lies about sizes."""

import base64
import io
import struct
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

from PIL import Image

_SVG = '<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="{0}" height="{0}">{1}</svg>'


def _chunk(kind: bytes, body: bytes) -> bytes:
    return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))


def _png(width: int, height: int, rows: int | None = None, before: bytes = b"") -> bytes:
    """A PNG of one bit a pixel that is all black; only so many rows of it are there."""
    packed = zlib.compressobj(9)
    row = b"\0" * (1 + (width + 7) // 8)
    data = b"".join(packed.compress(row) for _ in range(height if rows is None else rows)) + packed.flush()
    header = _chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 1, 0, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + header + before + _chunk(b"IDAT", data) + _chunk(b"IEND", b"")


def _zeros(mebibytes: int) -> bytes:
    """Zeros, packed."""
    packer = zlib.compressobj(1)
    return b"".join(packer.compress(b"\0" * (1 << 20)) for _ in range(mebibytes)) + packer.flush()


def _apng(frames: int, side: int, dispose: int) -> bytes:
    """An animated PNG all of whose frames are whole and black."""
    data = zlib.compress((b"\0" + b"\0" * ((side + 7) // 8)) * side, 9)
    out = [b"\x89PNG\r\n\x1a\n", _chunk(b"IHDR", struct.pack(">IIBBBBB", side, side, 1, 0, 0, 0, 0))]
    out.append(_chunk(b"acTL", struct.pack(">II", frames, 0)))
    number = 0
    for frame in range(frames):
        out.append(_chunk(b"fcTL", struct.pack(">IIIIIHHBB", number, side, side, 0, 0, 1, 10, dispose, 0)))
        number += 1
        out.append(_chunk(b"IDAT", data) if frame == 0 else _chunk(b"fdAT", struct.pack(">I", number) + data))
        number += frame > 0
    return b"".join([*out, _chunk(b"IEND", b"")])


def _gif(frames: int) -> bytes:
    one = b"\x2c" + struct.pack("<HHHH", 0, 0, 4, 4) + b"\0" + b"\x02\x05\x84\x8f\xa9\xcb\x50\0"
    head = b"GIF89a" + struct.pack("<HH", 65535, 3000) + b"\x80\0\0" + b"\0\0\0\xff\xff\xff"
    return head + one * frames + b"\x3b"


def _tiff_in_a_circle() -> bytes:
    """A directory of pages whose next one is itself."""
    tags = b"".join(
        struct.pack("<HHII", tag, 4, 1, value)
        for tag, value in (
            (256, 1000),
            (257, 1000),
            (258, 8),
            (259, 1),
            (262, 1),
            (273, 8),
            (277, 1),
            (278, 1000),
            (279, 1000000),
        )
    )
    return b"II*\0" + struct.pack("<I", 8) + struct.pack("<H", 9) + tags + struct.pack("<I", 8)


def _jpeg_of(width: int, height: int) -> bytes:
    out = io.BytesIO()
    Image.new("L", (16, 16)).save(out, "JPEG")
    data = bytearray(out.getvalue())
    at = data.index(b"\xff\xc0")
    data[at + 5 : at + 9] = struct.pack(">HH", height, width)
    return bytes(data)


def _jpeg_of_many_scans() -> bytes:
    """A progressive picture of which the same scan comes again and again; each goes over all of it."""
    out = io.BytesIO()
    Image.new("L", (3000, 3000)).save(out, "JPEG", progressive=True)
    data = out.getvalue()
    at = data.index(b"\xff\xda")
    end = data.index(b"\xff", at + 20)
    scan = data[at:end]
    return data[:end] + scan * 200 + b"\xff\xd9"


def _zip(files: dict[str, bytes], **settings: int) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def _ora(stack: str, **images: bytes) -> bytes:
    return _zip(
        {
            "mimetype": b"image/openraster",
            "stack.xml": stack.encode(),
            **{f"data/{name}.png": data for name, data in images.items()},
        }
    )


def _lying_zip() -> bytes:
    """An entry that unpacks to 100 MiB and says that it is small."""
    data = bytearray(_zip({"a.png": b"\x89PNG\r\n\x1a\n" + b"\0" * (100 << 20)}))
    for sign, at in ((b"PK\3\4", 22), (b"PK\1\2", 24)):
        place = data.index(sign) + at
        data[place : place + 4] = struct.pack("<I", 1000)
    return bytes(data)


def _overlapping_zip() -> bytes:
    """Ten thousand names for one and the same data."""
    one = _zip({"a.png": _png(8000, 8000)})
    end = one.index(b"PK\1\2")
    entry = one[end : one.index(b"PK\5\6")]
    listed = b"".join(entry[:46] + f"{number:05}"[:5].encode() + entry[51:] for number in range(10_000))
    tail = struct.pack("<4sHHHHIIH", b"PK\5\6", 0, 0, 10_000, 10_000, len(listed), end, 0)
    return one[:end] + listed + tail


def _laughs() -> str:
    entities = "".join(f'<!ENTITY e{n} "{f"&e{n - 1};" * 10}">' for n in range(1, 10))
    return f'<!DOCTYPE svg [<!ENTITY e0 "ha">{entities}]>' + _SVG.format(10, "<text>&e9;</text>")


def _uses(depth: int, each: int) -> str:
    """Groups that each use the one before several times."""
    first = '<g id="g0"><rect width="1" height="1"/></g>'
    rest = "".join(f'<g id="g{n}">' + f'<use xlink:href="#g{n - 1}"/>' * each + "</g>" for n in range(1, depth))
    return _SVG.format(100, first + rest)


FILES: dict[str, Callable[[], bytes | str]] = {
    "png that says 90,000 x 90,000.png": lambda: _png(90_000, 90_000, 10),
    "png of 225 megapixels.png": lambda: _png(15_000, 15_000),
    "png with a profile that unpacks a thousandfold.png": lambda: _png(
        4, 4, before=_chunk(b"iCCP", b"x\0\0" + _zeros(300))
    ),
    "png with a text that unpacks a thousandfold.png": lambda: _png(
        4, 4, before=_chunk(b"zTXt", b"Author\0\0" + _zeros(300))
    ),
    "png with fifty texts.png": lambda: _png(
        4, 4, before=_chunk(b"zTXt", b"Author\0\0" + _zeros(60)) * 50
    ),
    "png cut off.png": lambda: _png(5000, 5000, 100),
    "apng of 2,000 frames.png": lambda: _apng(2000, 1000, 0),
    "apng that gives back.png": lambda: _apng(2000, 400, 2),
    "apng of a million frames.png": lambda: _apng(3, 8, 0).replace(struct.pack(">II", 3, 0), struct.pack(">II", 10**6, 0), 1),
    "gif of 5,000 frames.gif": lambda: _gif(5000),
    "gif of 1,900 large frames.gif": lambda: _gif(1900),
    "tiff in a circle.tif": _tiff_in_a_circle,
    "jpeg that says 65,000 x 65,000.jpg": lambda: _jpeg_of(65_000, 65_000),
    "jpeg that says 12,000 x 12,000.jpg": lambda: _jpeg_of(12_000, 12_000),
    "jpeg of 200 scans.jpg": _jpeg_of_many_scans,
    "zip of 40 large pictures.zip": lambda: _zip({f"{n}.png": _png(15_000, 15_000) for n in range(2)} | {f"{n}b.png": _png(15_000, 15_000) for n in range(16)}),
    "zip that lies.zip": _lying_zip,
    "zip that overlaps.zip": _overlapping_zip,
    "zip of 5,000 files.zip": lambda: _zip({f"{n}.png": b"" for n in range(5_000)}),
    "ora nested deep.ora": lambda: _ora('<image w="4" h="4">' + "<stack>" * 5000 + "</stack>" * 5000 + "</image>"),
    "ora of entities.ora": lambda: _ora('<!DOCTYPE image [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]><image w="4" h="4"><stack name="&b;"/></image>'),
    "ora of one picture in 2,000 layers.ora": lambda: _ora(
        '<image w="9000" h="9000"><stack>' + '<layer name="a" src="data/a.png"/>' * 1999 + "</stack></image>", a=_png(9000, 9000)
    ),
    "svg that laughs.svg": _laughs,
    "svg of uses of uses.svg": lambda: _uses(40, 3),
    "svg of a long chain of uses.svg": lambda: _uses(20_000, 1),
    "svg of uses in a circle.svg": lambda: _SVG.format(10, '<g id="a"><use xlink:href="#b"/></g><g id="b"><use xlink:href="#a"/></g>'),
    "svg nested deep.svg": lambda: _SVG.format(10, "<g>" * 30_000 + "</g>" * 30_000),
    "svg of 60,000 elements.svg": lambda: _SVG.format(10, "<g/>" * 60_000),
    "svg of rules.svg": lambda: _SVG.format(
        100, "<style>" + "".join(f'[id^="r"] ~ * {{fill:#{n:03x}}}' for n in range(1500)) + "</style>" + '<rect id="r1"/>' * 1500
    ),
    "svg of blurs.svg": lambda: _SVG.format(
        4000,
        '<filter id="f" x="-5" y="-5" width="11" height="11">' + '<feGaussianBlur stdDeviation="900"/>' * 6
        + '<feTurbulence baseFrequency="0.5" numOctaves="200"/><feMorphology radius="500"/></filter>'
        + '<rect width="3000" height="3000" filter="url(#f)"/>' * 20,
    ),
    "svg of 300 filters.svg": lambda: _SVG.format(
        8000, '<filter id="f"><feGaussianBlur stdDeviation="50"/></filter>' + '<g filter="url(#f)"><rect width="8000" height="8000"/></g>' * 300
    ),
    "svg of dashes.svg": lambda: _SVG.format(2000, '<path d="M0 0L2000 2000" stroke="red" stroke-dasharray="0.00001" stroke-width="9"/>' * 5),
    "svg of a long path.svg": lambda: _SVG.format(2000, '<path d="M0 0' + "L9 9 1999 3" * 60_000 + '" stroke="red" stroke-width="50"/>'),
    "svg of markers.svg": lambda: _SVG.format(
        2000, '<marker id="m"><rect width="99" height="99"/></marker><path marker-mid="url(#m)" d="M0 0' + "L9 9 99 3" * 100_000 + '"/>'
    ),
    "svg of a fine pattern.svg": lambda: _SVG.format(
        8000, '<pattern id="p" width="0.001" height="0.001"><rect width="1" height="1"/></pattern>' + '<rect width="8000" height="8000" fill="url(#p)"/>'
    ),
    "svg of masks in masks.svg": lambda: _SVG.format(
        4000,
        "".join(f'<mask id="m{n}"><rect width="4000" height="4000" fill="white" mask="url(#m{n + 1})"/></mask>' for n in range(60))
        + '<rect width="4000" height="4000" mask="url(#m0)"/>' * 60,
    ),
    "svg of a long text.svg": lambda: _SVG.format(2000, '<text y="99" font-size="9">' + "marsh " * 200_000 + "</text>"),
    "svg with a large picture.svg": lambda: _SVG.format(
        100, '<image width="50" height="50" href="data:image/png;base64,' + _base64(_png(30_000, 30_000)) + '"/>'
    ),
    "svg with a picture used often.svg": lambda: _SVG.format(
        100, '<image id="i" width="50" height="50" href="data:image/png;base64,' + _base64(_png(9000, 9000)) + '"/>' + '<use xlink:href="#i"/>' * 500
    ),
    "svg without end.svg": lambda: _SVG.format(100, "")[:-6] + "<g>" * 100,
    "svg that says 1e30.svg": lambda: _SVG.format("1e30", "<rect/>"),
    "svg packed a thousandfold.svgz": lambda: _gzip(b"<svg xmlns=\"http://www.w3.org/2000/svg\">" + b" " * (100 << 20)),
    "json in a zip.zip": lambda: _zip({"manifest.json": b"[" * 100_000}),
    "nothing.png": lambda: b"",
}  # fmt: skip


def _gzip(data: bytes) -> bytes:
    packer = zlib.compressobj(9, zlib.DEFLATED, 31)
    return packer.compress(data) + packer.flush()


def _base64(data: bytes) -> str:
    return base64.b64encode(data).decode()


def write(folder: Path, name: str) -> Path:
    """One of them as a file."""
    data = FILES[name]()
    path = folder / name
    path.write_bytes(data.encode() if isinstance(data, str) else data)
    return path
