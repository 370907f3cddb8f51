"""Hand-over against the plain loop that an artist's script would be (`plain_loop.py`)."""

import io
import shutil
import subprocess
import sys
import zipfile
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from lxml import etree
from measure import FOLDER, ROOT, bench_art, brindle, fastest, table
from PIL import Image
from plain_loop import plain_loop

from yuplet.arrangement.tree import arrangement_of
from yuplet.handover import hand_over, hand_over_file
from yuplet.parts.part import render
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.plan import plan_hand_over
from yuplet.plan.planned import Plan, PlannedPart
from yuplet.reading.files import read_illustration
from yuplet.rehearsal.proof import prove
from yuplet.writing import png
from yuplet.writing.package import carry_out
from yuplet.writing.pictures import Sources
from yuplet.writing.stores import MemoryStore

OUT = FOLDER / "out"
_STROKE = 64


def quiet(*_: object) -> None:
    pass


def whole_canvas(file: Path) -> Path:
    """The same picture with layer images as large as the canvas, as programs save them that do not trim."""
    path = file.with_stem(f"{file.stem}-whole")
    if not path.exists():
        with SpillFile() as scratch, zipfile.ZipFile(file) as source, zipfile.ZipFile(path, "w") as target:
            illustration, _ = read_illustration(file, scratch)
            stack = etree.fromstring(source.read("stack.xml"))
            for layer in stack.iter("layer"):
                small = Image.open(io.BytesIO(source.read(layer.get("src"))))
                large = Image.new("RGBA", illustration.canvas)
                large.paste(small, (int(layer.get("x")), int(layer.get("y"))))
                target.writestr(layer.get("src"), png.encode(np.array(large), "quick"))
                layer.set("x", "0")
                layer.set("y", "0")
            target.writestr("mimetype", "image/openraster")
            target.writestr("stack.xml", etree.tostring(stack))
    return path


def main() -> str:
    rows = []
    pictures = [
        ("Brindle, 50 layers, 2048²", brindle(), 3),
        ("the same, layers as large as the canvas", whole_canvas(brindle()), 2),
        ("bench art, 60 layers, 4096²", bench_art(), 1),
    ]
    for name, file, times in pictures:
        plain_bytes = plain_loop(file, OUT)
        plain = fastest(lambda file=file: plain_loop(file, OUT), times)  # type: ignore[misc]

        def whole(file: Path = file) -> None:
            shutil.rmtree(OUT, ignore_errors=True)
            hand_over_file(file, OUT, quiet)

        all_of_it = fastest(whole, times)
        own_bytes = sum(path.stat().st_size for path in (OUT / "parts").rglob("*.png"))
        proof = fastest(lambda: prove(OUT, quiet), times)
        with SpillFile() as scratch:
            read = fastest(lambda file=file, scratch=scratch: read_illustration(file, scratch), 1)  # type: ignore[misc]
            illustration, _ = read_illustration(file, scratch)
            plan = plan_hand_over(illustration, arrangement_of(illustration)[0])
            write = fastest(
                lambda plan=plan, scratch=scratch: carry_out(plan, Sources(scratch), MemoryStore(), quiet),
                max(times, 2),
            )  # type: ignore[misc]
            parts = fastest(lambda plan=plan, scratch=scratch: parts_alone(plan, scratch), max(times, 2))  # type: ignore[misc]
        rows.append(
            [name, f"{plain / parts:.1f}", f"{plain / write:.1f}", f"{plain / (read + write):.1f}",
             f"{plain / all_of_it:.1f}", f"{proof / all_of_it * 100:.0f} %", f"{own_bytes / plain_bytes:.2f}"]
        )  # fmt: skip
    shutil.rmtree(OUT, ignore_errors=True)
    columns = [
        "picture", "the parts' images alone", "with the reference picture and manifest", "with reading as well",
        "with reading and the proof", "share of the proof", "bytes of the parts",
    ]  # fmt: skip
    note = (
        "Times faster than the plain loop, which reads and writes in one process and makes neither manifest nor reference"
        " picture nor proof; bytes of the part images as a multiple of the loop's. Two threads on two cores."
    )
    return table("Hand-over against a plain loop", columns, rows, note)


def from_the_shell() -> str:
    """Whole processes, from their start to their end."""
    rows = []
    pictures = [
        ("24 layers, 1024²", bench_art(24, 1024)),
        ("Brindle, 50 layers, 2048²", brindle()),
        ("40 layers, 2048²", bench_art(40, 2048)),
    ]
    loop = [sys.executable, str(ROOT / "bench" / "plain_loop.py")]
    own = [sys.executable, "-m", "yuplet", "handover", "--quiet"]
    environment = {"PYTHONPATH": str(ROOT / "core" / "src")}

    def run(*command: object) -> None:
        shutil.rmtree(OUT, ignore_errors=True)
        subprocess.run([*map(str, command)], check=True, env=environment)

    for name, file in pictures:
        plain = fastest(lambda file=file: run(*loop, file, OUT), 5)  # type: ignore[misc]
        whole = fastest(lambda file=file: run(*own, file, "--out", OUT), 5)  # type: ignore[misc]
        rows.append([name, f"{plain:.2f} s", f"{whole:.2f} s", f"{whole / plain:.2f}"])
    shutil.rmtree(OUT, ignore_errors=True)
    note = "`yuplet handover` with reading, reference picture, manifest and proof, by two threads; its loops are compiled already. The least of five."
    return table(
        "From the shell, whole processes", ["picture", "the plain loop", "Yuplet", "plain loop = 1"], rows, note
    )


def after_a_change() -> str:
    """A hand-over again after one part changed, without reading the source, against all of it: planned, written and proved."""
    rows = []
    for name, file in (("Brindle, 50 layers, 2048²", brindle()), ("bench art, 60 layers, 4096²", bench_art())):
        with SpillFile() as scratch:
            illustration, _ = read_illustration(file, scratch)
            arrangement, _ = arrangement_of(illustration)
            by_size = sorted(illustration.boxes, key=lambda layer: illustration.boxes[layer].size.pixels)
            middle = by_size[len(by_size) // 2]
            digests = {layer: scratch.digest(layer) for layer in illustration.boxes}

            def again(scratch: SpillFile = scratch, digests: dict[str, str] = digests) -> None:
                sources = Sources(scratch, None)
                report = hand_over(illustration, arrangement, sources, OUT, "", quiet, digests=digests)  # noqa: B023 - called at once
                assert report.proof.ok

            def anew() -> None:
                shutil.rmtree(OUT, ignore_errors=True)
                again()  # noqa: B023 - called at once

            whole = fastest(anew, 3)
            taken = {}
            for side in (_STROKE, None):
                times = []
                for shade in range(3):
                    picture = scratch.whole(middle)
                    height, width = (side_ // 3 if side else 0 for side_ in picture.shape[:2])
                    stroke = picture[height : side and height + side, width : side and width + side]
                    stroke[..., :3] ^= np.uint8(1 + shade)
                    scratch.put(middle, picture)
                    digests[middle] = scratch.digest(middle)
                    times.append(fastest(again, 1))
                taken[side] = min(times)
            nothing = fastest(again, 2)
        box = illustration.boxes[middle].size
        share = f"{box.pixels / illustration.canvas.pixels * 100:.0f} %"
        rows.append([name, share, *(f"{whole / one:.1f}" for one in (*taken.values(), nothing))])
    shutil.rmtree(OUT, ignore_errors=True)
    note = (
        "Times faster than planning, writing and proving everything, without reading. The part is that of middle size; a stroke is"
        f" {_STROKE} px square, repainted is every pixel. Its image is written as a whole, of the reference picture only the tiles that changed; the"
        " proof looks at what has changed."
    )
    columns = ["picture", "the part's share of the canvas", "a stroke on it", "repainted", "nothing changed"]
    return table("Handing over again", columns, rows, note)


def parts_alone(plan: Plan, scratch: SpillFile) -> None:
    """The images of the parts and nothing else: what the plain loop makes."""

    def write(planned: PlannedPart) -> bytes:
        rendered = render(planned.part, plan.layer_boxes, scratch, plan.canvas)
        assert rendered is not None
        return png.encode(rendered[1], "normal", plan.ppi)

    with ThreadPoolExecutor(2) as pool:
        list(pool.map(write, sorted(plan.parts, key=lambda planned: -planned.box.size.pixels)))


if __name__ == "__main__":
    print(main())
    print(from_the_shell())
    print(after_a_change())
