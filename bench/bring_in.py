"""Bringing in against just decoding every PNG of the file, and a hand-over's memory against the decoded picture."""

import io
import zipfile
from pathlib import Path

from measure import FOLDER, bench_art, brindle, fastest, peak_memory, table
from PIL import Image

from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration


def decode_all(file: Path) -> int:
    """Decode with Pillow, one after the other; answers the bytes of the decoded layers."""
    total = 0
    with zipfile.ZipFile(file) as archive:
        for name in archive.namelist():
            if name.startswith("data/"):
                image = Image.open(io.BytesIO(archive.read(name)))
                image.load()
                total += image.width * image.height * 4
    return total


def bring_in(file: Path) -> None:
    with SpillFile() as scratch:
        read_illustration(file, scratch)


def memory_of_hand_over(file: Path) -> int:
    out = FOLDER / "memory"
    code = (
        "import shutil\nfrom pathlib import Path\n"
        f"out = Path({str(out)!r})\nshutil.rmtree(out, ignore_errors=True)\n"
        f"hand_over_file(Path({str(file)!r}), out, lambda *_: None)\nshutil.rmtree(out)"
    )
    return peak_memory(code)


def main() -> str:
    rows = []
    for name, file in (
        ("Brindle, 50 layers, 2048²", brindle()),
        ("bench art, 15 layers, 4096²", bench_art(15)),
        ("bench art, 100 layers, 4096²", bench_art(100)),
    ):
        decoded = decode_all(file)
        decode = fastest(lambda file=file: decode_all(file))  # type: ignore[misc]
        read = fastest(lambda file=file: bring_in(file))  # type: ignore[misc]
        peak = memory_of_hand_over(file)
        rows.append(
            [
                name,
                f"{read / decode:.2f}",
                f"{peak / decoded:.2f}",
                f"{peak / 2**20:.0f} MB",
                f"{decoded / 2**20:.0f} MB",
            ]
        )
    note = (
        "Bringing in decodes, finds each layer's content and keeps it in a scratch file, with two threads; just decoding is"
        " Pillow in one. The peak is a whole hand-over with its proof, above what the imported code takes: it follows the"
        " largest layers and the canvas, not the number of layers."
    )
    columns = ["picture", "bring-in / just decoding", "peak / decoded layers", "peak", "decoded layers"]
    return table("Bring-in and memory", columns, rows, note)


if __name__ == "__main__":
    print(main())
