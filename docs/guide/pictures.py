"""Makes the pictures of the guide to handing over from the packages of the demo, while ./start is running on fresh demo data.

.venv/bin/python docs/guide/pictures.py [address]
"""

import io
import json
import sys
import tempfile
import zipfile
from collections.abc import Sequence
from pathlib import Path

from PIL import Image
from playwright.sync_api import Page

HERE = Path(__file__).resolve().parent
ROOT = HERE.parents[1]
sys.path.insert(0, str(ROOT))
import yuplet  # noqa: E402
from tests.browser import chromium, new_context  # noqa: E402

ADDRESS = sys.argv[1] if len(sys.argv) > 1 else "http://127.0.0.1:8600"
GROUND, GAP, WIDTH = (155, 157, 153, 255), 12, 960


def main() -> None:
    password = json.loads((ROOT / "var" / "secrets.json").read_text())["demo_password"]
    with chromium() as browser:
        page = new_context(browser, ADDRESS)[0].new_page()
        page.goto("/")
        page.get_by_label("Account").fill("demo")
        page.get_by_role("textbox", name="Password").fill(password)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("link", name="Brindle").wait_for()
        brindle = package(page, "Brindle")
        overview = picture(brindle, "overview.png")
        keep("figure", overview.crop((0, 0, overview.width, 226 * 3 + 48)))
        keep("looks", beside([picture(brindle, name) for name in sorted(brindle) if name.startswith("combinations/")]))
        moving(page, brindle)
        marsh = package(page, "Reed marsh")
        planes = [name for name in sorted(marsh) if name.startswith(("planes/", "parts/")) and name.endswith(".png")]
        keep("planes", beside([picture(marsh, name) for name in planes], across=4))
        lamp = package(page, "Semaphore lamp")
        grids = [enlarged(picture(lamp, f"parts/{name}.png"), 4) for name in ("4 lamp", "3 arm")]
        keep("pixel-art", beside(grids))
        levers = package(page, "Lever frame")
        names = [
            f"pieces/{piece}@{size}.png"
            for size in ("0.5x", "1x", "2x")
            for piece in ("bell/bell-dome", "lamps/lamp-lit/lit-ring")
        ]
        keep("interface", beside([picture(levers, name) for name in names]))


def moving(page: Page, files: dict[str, bytes]) -> None:
    """The motion of the figure, as an animated PNG of ten pictures a second."""
    newest = page.request.get(f"/api/illustrations/{number_of(page, 'Brindle')}/rehearsals").json()[0]
    motion = page.request.get(f"/api/rehearsals/{newest['id']}/motion").json()["motion"]
    motion["stage"]["rate"] = 10
    with tempfile.TemporaryDirectory() as folder:
        for name, data in files.items():
            Path(folder, name).parent.mkdir(parents=True, exist_ok=True)
            Path(folder, name).write_bytes(data)
        yuplet.move(folder, motion, film=HERE / "pictures" / "moving.png", width=200)


def number_of(page: Page, name: str) -> str:
    address = page.get_by_role("link", name=name).first.get_attribute("href") or ""
    return address.split("/")[2]


def package(page: Page, name: str) -> dict[str, bytes]:
    """The files of the newest package of a demo illustration."""
    newest = page.request.get(f"/api/illustrations/{number_of(page, name)}/hand-overs").json()[0]
    data = page.request.get(f"/api/hand-overs/{newest['id']}/package").body()
    with zipfile.ZipFile(io.BytesIO(data)) as archive:
        return {file: archive.read(file) for file in archive.namelist()}


def picture(files: dict[str, bytes], name: str) -> Image.Image:
    return Image.open(io.BytesIO(files[name])).convert("RGBA")


def enlarged(image: Image.Image, times: int) -> Image.Image:
    return image.resize((image.width * times, image.height * times), Image.Resampling.NEAREST)


def beside(pictures: Sequence[Image.Image], across: int = 0) -> Image.Image:
    """Pictures in rows on the ground of the pile."""
    across = across or len(pictures)
    rows = [pictures[at : at + across] for at in range(0, len(pictures), across)]
    width = max(sum(one.width + GAP for one in row) for row in rows) + GAP
    height = sum(max(one.height for one in row) + GAP for row in rows) + GAP
    whole = Image.new("RGBA", (width, height), GROUND)
    top = GAP
    for row in rows:
        left = GAP
        for one in row:
            whole.alpha_composite(one, (left, top))
            left += one.width + GAP
        top += max(one.height for one in row) + GAP
    return whole


def keep(name: str, image: Image.Image) -> None:
    if image.width > WIDTH:
        image = image.resize((WIDTH, round(image.height * WIDTH / image.width)), Image.Resampling.LANCZOS)
    (HERE / "pictures").mkdir(exist_ok=True)
    image.convert("RGB").quantize(128).save(HERE / "pictures" / f"{name}.png", optimize=True)


if __name__ == "__main__":
    main()
