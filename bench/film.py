"""A film of Brindle with every part turned, without encoding, against the plain loop of Pillow; and sampling a motion."""

import shutil
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np
from measure import FOLDER, brindle, fastest, table
from PIL import Image

from yuplet.handover import hand_over_file
from yuplet.rehearsal.film import Film
from yuplet.rehearsal.motion.document import Key, Motion, Stage, Track
from yuplet.rehearsal.motion.rig import Rig
from yuplet.rehearsal.motion.sampling import packed, sample
from yuplet.rehearsal.package import uses
from yuplet.rehearsal.picture import Scene
from yuplet.rehearsal.reading import Reading
from yuplet.rehearsal.trying import opened_scene

WIDTH, PICTURES, DEGREES = 1080, 12, 5.0


def main() -> str:
    package = FOLDER / "filmed"
    shutil.rmtree(package, ignore_errors=True)
    hand_over_file(brindle(), package, lambda *_: None)
    with tempfile.TemporaryDirectory() as raw:
        scene, rig = opened_scene(package, Reading(), Path(raw))
        motion = _turning(rig, keys=2)
        film = Film(scene, rig, motion, WIDTH)
        with ThreadPoolExecutor(2) as pool:
            ours = fastest(lambda: list(pool.map(film.picture, range(PICTURES)))) / PICTURES
        plain = _plain(scene, PICTURES // 3)
    many = _turning(rig, keys=10)
    times = np.arange(250) / 24
    sampling = fastest(lambda: packed(sample(many, rig, times)))
    rows = [
        [
            "the plain loop (Pillow: each part turned by itself, alpha_composite, the whole reduced)",
            f"{1000 * plain:.0f} ms",
            "1",
        ],
        ["a picture of the film, two threads", f"{1000 * ours:.0f} ms", f"{ours / plain:.2f}"],
        ["as it is played at 24 a second", f"{1000 / 24:.0f} ms", f"{1 / 24 / plain:.2f}"],
        [
            f"sampling {len(rig.parts)} parts at {len(times)} moments, ten keys of three properties each",
            f"{1000 * sampling:.0f} ms",
            "",
        ],
    ]
    note = f"Brindle at {film.width} × {film.height} px, all {len(rig.parts)} parts turned, nothing encoded."
    return table("Films", ["what", "time", "against the plain loop"], rows, note)


def _turning(rig: Rig, keys: int) -> Motion:
    tracks = []
    for part in rig.parts:
        for name, value in (("rotate", DEGREES), ("scale", (1.1, 0.9)), ("translate", (9.0, 4.0))):
            if keys == 2 and name != "rotate":
                continue
            found = tuple(Key(at, value, "ease-in-out") for at in range(1, keys + 1))
            tracks.append(Track(part.id, name, found))  # type: ignore[arg-type]
    motion = Motion(stage=Stage(duration=12.0))
    return motion.with_tracks({track.place: track for track in tracks})


def _plain(scene: Scene, pictures: int) -> float:
    """Seconds a picture."""
    shown = [scene.placed[part] for part, is_shown in uses(scene.tree) if is_shown and part in scene.placed]
    images = [(Image.fromarray(one.image.rows(0, one.image.height), "RGBA"), one) for one in shown]
    began = time.perf_counter()
    for _ in range(pictures):
        canvas = Image.new("RGBA", (scene.width, scene.height))
        for image, one in images:
            turned = image.rotate(-DEGREES, Image.Resampling.BILINEAR, expand=True)
            left = one.left - (turned.width - image.width) // 2
            top = one.top - (turned.height - image.height) // 2
            canvas.alpha_composite(turned, (max(0, left), max(0, top)), (max(0, -left), max(0, -top)))
        canvas.resize((WIDTH, round(WIDTH * scene.height / scene.width)), Image.Resampling.BOX)
    return (time.perf_counter() - began) / pictures


if __name__ == "__main__":
    print(main())
