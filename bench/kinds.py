"""What each level of PNG and each kind of output costs: time beside a common one, and bytes."""

import io
from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace

from measure import bench_art, brindle, fastest, table
from PIL import Image

from yuplet.arrangement.tree import arrangement_of
from yuplet.parts.part import render
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.plan import plan_hand_over
from yuplet.plan.planned import Plan
from yuplet.plan.recipe import Extras, Images, Model, Recipe
from yuplet.reading.files import read_illustration
from yuplet.writing import extras, images
from yuplet.writing.pictures import Sources

_SOME = 12
"""Images of the bench art: every fifth, for the slowest level takes long."""


def pictures_of(plan: Plan, scratch: SpillFile) -> list[Picture]:
    found = (render(one.part, plan.layer_boxes, scratch, plan.canvas) for one in plan.parts)
    return [rendered[1] for rendered in found if rendered is not None]


def with_pillow(picture: Picture) -> bytes:
    out = io.BytesIO()
    Image.fromarray(picture, "RGBA").save(out, "PNG")
    return out.getvalue()


def levels() -> str:
    """PNG by effort and the other formats, each beside Pillow's PNG of the same images, on two threads."""
    settings = {
        "PNG, quick": Images(effort="quick"),
        "PNG, normal": Images(effort="normal"),
        "PNG, small": Images(effort="small"),
        "WebP, lossless": Images(format="webp", lossless=True),
        "WebP, quality 90": Images(format="webp", lossless=False, quality=90),
        "AVIF, quality 90": Images(format="avif", quality=90),
        "TIFF": Images(format="tiff"),
    }
    rows: dict[str, list[str]] = {name: [name] for name in settings}
    for file, step, times in ((brindle(), 1, 2), (bench_art(), 60 // _SOME, 1)):
        with SpillFile() as scratch, ThreadPoolExecutor(2) as pool:
            illustration, _ = read_illustration(file, scratch)
            pictures = pictures_of(plan_hand_over(illustration, arrangement_of(illustration)[0]), scratch)[::step]
            common = fastest(lambda: list(pool.map(with_pillow, pictures)), times)  # noqa: B023 - called at once
            common_bytes = sum(map(len, pool.map(with_pillow, pictures)))
            for name, one in settings.items():

                def encode(picture: Picture, one: Images = one) -> bytes:
                    return images.encode(picture, one)

                made: list[bytes] = []
                took = fastest(lambda: made.__setitem__(slice(None), pool.map(encode, pictures)), times)  # noqa: B023
                rows[name] += [f"{took / common:.2f}", f"{sum(map(len, made)) / common_bytes:.2f}"]
    note = f"Time and bytes as a multiple of Pillow's PNG with its defaults: all 50 images of Brindle, {_SOME} of the bench art. Quality is not compared."
    return table("Formats", ["format", "Brindle, time", "bytes", "bench art, time", "bytes"], list(rows.values()), note)


def outputs() -> str:
    """Everything that can be written beside the images of Brindle, beside writing the images themselves."""
    kinds = {
        "OpenRaster": Extras(layers=True),
        "binary glTF": Extras(model=Model()),
        "page of HTML and CSS": Extras(page=True),
        "SVG of all parts": Extras(scene=True),
        "overview, PNG": Extras(overview=("png",)),
        "overview, PDF": Extras(overview=("pdf",)),
    }
    rows = []
    with SpillFile() as scratch:
        illustration, _ = read_illustration(brindle(), scratch)
        arrangement, _ = arrangement_of(illustration)
        plain = plan_hand_over(illustration, arrangement)
        pictures = pictures_of(plain, scratch)
        data: list[bytes] = []
        common = fastest(lambda: data.__setitem__(slice(None), (images.encode(one, Images()) for one in pictures)))
        for name, wanted in kinds.items():
            plan = plan_hand_over(illustration, arrangement, recipe=replace(Recipe(), extras=wanted))
            written: list[bytes] = []

            def make(plan: Plan = plan, written: list[bytes] = written) -> None:
                written[:] = (extras.made(plan, one, Sources(scratch)) for one in plan.extras)  # noqa: B023

            took = fastest(make)
            size = sum(map(len, written))
            rows.append([name, f"{took / common:.2f}", f"{size / sum(map(len, data)):.2f}", f"{size:,}"])
    note = "Time and bytes as a multiple of all 50 images as trimmed PNG, one thread each."
    return table("Extras the images of Brindle", ["output", "time", "bytes", "in bytes"], rows, note)


if __name__ == "__main__":
    print(levels())
    print(outputs())
