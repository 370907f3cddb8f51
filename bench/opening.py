"""Opening a package of 1,000 parts in the rehearsal (inventory, picture put together and compared), against reading its bytes and decoding its images once."""

import shutil
import tempfile
from pathlib import Path

from measure import FOLDER, bench_art, fastest, table
from PIL import Image

from yuplet.handover import hand_over_file
from yuplet.rehearsal.reading import Reading
from yuplet.rehearsal.trying import try_out


def main() -> str:
    package = FOLDER / "opened"
    shutil.rmtree(package, ignore_errors=True)
    hand_over_file(bench_art(1000, 1024), package, lambda *_: None)
    files = [path for path in package.rglob("*") if path.is_file()]
    images = [path for path in files if path.suffix == ".png"]
    reading = fastest(lambda: [path.read_bytes() for path in files])
    decoding = fastest(lambda: [Image.open(path).convert("RGBA") for path in images])

    def opened() -> None:
        with tempfile.TemporaryDirectory() as folder:
            scratch, out = (Path(folder) / name for name in ("scratch", "out"))
            scratch.mkdir()
            out.mkdir()
            trial = try_out(package, Reading(), scratch, out)
            assert trial.ok

    opening = fastest(opened)
    rows = [
        ["reading its bytes once", f"{1000 * reading:.0f} ms", f"{reading / decoding:.2f}"],
        ["decoding its images once, one after the other", f"{1000 * decoding:.0f} ms", "1"],
        ["opened: inventory, put together, compared", f"{1000 * opening:.0f} ms", f"{opening / decoding:.2f}"],
    ]
    note = f"{len(images):,} images, {sum(path.stat().st_size for path in files) / 1e6:.0f} MB; two threads. Until this is done nothing of it is seen."
    return table("Opening a package of 1,000 parts", ["what", "time", "decoding = 1"], rows, note)


if __name__ == "__main__":
    print(main())
