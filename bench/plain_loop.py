"""What an artist's script would do: python bench/plain_loop.py FILE.ora OUT. It knows no order, place or proof."""

import io
import shutil
import sys
import zipfile
from pathlib import Path

from PIL import Image


def plain_loop(file: Path, out: Path) -> int:
    """Open, getbbox, crop, save with Pillow's defaults, in one process; answers the bytes written."""
    shutil.rmtree(out, ignore_errors=True)
    out.mkdir(parents=True)
    with zipfile.ZipFile(file) as archive:
        for name in archive.namelist():
            if name.startswith("data/"):
                image = Image.open(io.BytesIO(archive.read(name))).convert("RGBA")
                box = image.getbbox()
                if box:
                    image.crop(box).save(out / Path(name).name)
    return sum(path.stat().st_size for path in out.iterdir())


if __name__ == "__main__":
    plain_loop(Path(sys.argv[1]), Path(sys.argv[2]))
