"""Films: exact where nothing moved, near to sixteen by sixteen samples where something turned, and read back by other programs."""

import io
import math
import tempfile
import zipfile
from pathlib import Path
from unittest import TestCase

import cv2
import imagecodecs
import numpy as np
from PIL import Image

from tests.packages import PackageTestCase
from yuplet.errors import MotionError
from yuplet.rehearsal.film import Film
from yuplet.rehearsal.film_files import ENDINGS, Kind, write_film
from yuplet.rehearsal.images import kept
from yuplet.rehearsal.motion.document import Key, Motion, Stage, Track
from yuplet.rehearsal.motion.rig import Rig, RigPart, RigSet
from yuplet.rehearsal.package import GroupEntry, PartUse
from yuplet.rehearsal.picture import Placed, Scene, bands_of, rows_of
from yuplet.rehearsal.reading import Reading
from yuplet.rehearsal.trying import opened_scene

SECOND = Stage(rate=8, duration=1.0)


def straight(picture: np.ndarray) -> np.ndarray:
    """Premultiplied 0 to 1, so that colour that is not seen counts nothing."""
    floats = picture.astype(np.float64) / 255
    floats[..., :3] *= floats[..., 3:]
    return floats


class OwnPackageTests(PackageTestCase):
    def setUp(self) -> None:
        super().setUp()
        scratch = self.folder / "scratch of film"
        scratch.mkdir()
        self.scene, self.rig = opened_scene(self.package, Reading(), scratch)
        self.ids = {part.name: part.id for part in self.rig.parts}

    def whole(self, scene: Scene) -> np.ndarray:
        return np.concatenate([rows_of(scene, top) for top in bands_of(scene.height)])

    def turned(self, name: str, degrees: float) -> Motion:
        place = (self.ids[name], "rotate")
        keys = (Key(0, 0.0), Key(1, degrees))
        return Motion(stage=SECOND).with_tracks({place: Track(place[0], "rotate", keys)})  # type: ignore[dict-item]

    def test_at_rest_and_moved_by_whole_pixels_no_pixel_differs(self) -> None:
        film = Film(self.scene, self.rig, Motion(stage=SECOND))
        self.assertEqual((film.count, film.width, film.height), (8, 97, 73))
        np.testing.assert_array_equal(straight(film.picture(0)), straight(self.whole(self.scene)))
        place = (self.ids["lamp"], "translate")
        motion = Motion(stage=SECOND).with_tracks({place: Track(place[0], "translate", (Key(0, (5.0, -3.0)),))})  # type: ignore[dict-item]
        lamp = self.scene.placed[place[0]]
        moved = {**self.scene.placed, place[0]: self.replaced(lamp, lamp.left + 5, lamp.top - 3)}
        scene = Scene(**{name: getattr(self.scene, name) for name in Scene.__dataclass_fields__} | {"placed": moved})
        np.testing.assert_array_equal(
            straight(Film(self.scene, self.rig, motion).picture(3)), straight(self.whole(scene))
        )

    def replaced(self, placed: Placed, left: int, top: int) -> Placed:
        values = {name: getattr(placed, name) for name in Placed.__dataclass_fields__}
        return Placed(**values | {"left": left, "top": top})

    def test_what_is_carried_by_what_turns_is_drawn_elsewhere(self) -> None:
        film = Film(self.scene, self.rig, self.turned("lamp", 40))
        self.assertFalse(np.array_equal(film.picture(7), film.picture(0)))
        np.testing.assert_array_equal(straight(film.picture(0)), straight(self.whole(self.scene)))

    def test_every_format_is_read_by_another_program(self) -> None:
        film = Film(self.scene, self.rig, self.turned("mast", 30), 194)
        self.assertEqual((film.count, film.width, film.height), (8, 194, 146))
        pictures = [film.picture(number) for number in range(8)]
        told: list[tuple[int, int]] = []
        for kind in ENDINGS:
            with self.subTest(kind):
                path = self.folder / f"film{ENDINGS[kind]}"
                write_film(film, kind, path, lambda done, total: told.append((done, total)))
                for number, (seen, wanted) in enumerate(zip(self.read(kind, path), pictures, strict=True)):
                    self.compare(kind, seen, wanted, number)
        self.assertEqual(told[:8], [(number, 8) for number in range(8)])

    def read(self, kind: Kind, path: Path) -> list[np.ndarray]:
        if kind == "apng":
            return list(imagecodecs.apng_decode(path.read_bytes()))
        if kind == "webp":
            return [frame[..., [2, 1, 0, 3]] for frame in cv2.imreadanimation(str(path))[1].frames]
        if kind == "gif":
            with Image.open(path) as opened:
                self.assertEqual(sum(self.duration(opened, number) for number in range(opened.n_frames)), 1000)
                return [self.at(opened, number) for number in range(opened.n_frames)]
        if kind == "png":
            with zipfile.ZipFile(path) as archive:
                self.assertEqual(archive.namelist()[0], "0001.png")
                return [np.array(Image.open(io.BytesIO(archive.read(name)))) for name in archive.namelist()]
        video, found = cv2.VideoCapture(str(path)), []
        while (read := video.read())[0]:
            found.append(np.dstack([read[1][..., ::-1], np.full(read[1].shape[:2], 255, np.uint8)]))
        return found

    def duration(self, opened: Image.Image, number: int) -> int:
        opened.seek(number)
        return int(opened.info["duration"])

    def at(self, opened: Image.Image, number: int) -> np.ndarray:
        opened.seek(number)
        return np.array(opened.convert("RGBA"))

    def compare(self, kind: Kind, seen: np.ndarray, wanted: np.ndarray, number: int) -> None:
        if kind == "gif":
            # 255 colours, and seen or not.
            np.testing.assert_array_equal(seen[..., 3] > 0, wanted[..., 3] >= 128, err_msg=f"{number}")
            return
        if kind == "webm":
            alpha = wanted[..., 3:] / 255
            mean = np.abs(seen[..., :3] - (wanted[..., :3] * alpha + 255 * (1 - alpha))).mean()
            self.assertLess(mean, 6, number)
            return
        np.testing.assert_array_equal(straight(seen), straight(wanted), err_msg=f"{kind} {number}")

    def test_stopped_it_leaves_nothing(self) -> None:
        film = Film(self.scene, self.rig, Motion(stage=SECOND))

        def stop(done: int, total: int) -> None:
            if done == 3:
                raise KeyboardInterrupt

        for kind in ENDINGS:
            before = set(self.folder.iterdir())
            with self.assertRaises(KeyboardInterrupt):
                write_film(film, kind, self.folder / f"stopped{ENDINGS[kind]}", stop)
            self.assertEqual(set(self.folder.iterdir()), before, kind)

    def test_what_is_too_much_is_refused(self) -> None:
        long = Motion(stage=Stage(rate=120, duration=600.0))
        for motion, width, words in (
            (long, None, "72,000 pictures; up to 20,000"),
            (Motion(), 9000, "9,000 x 6,773 px cannot be written"),
            (Motion(), 0, "0 x 0 px cannot be written"),
        ):
            with self.assertRaisesRegex(MotionError, words):
                Film(self.scene, self.rig, motion, width)
        film = Film(self.scene, self.rig, Motion(stage=Stage(rate=100, duration=100.0)), 1000)
        with self.assertRaisesRegex(MotionError, "Choose WebP, WebM or numbered PNG"):
            write_film(film, "apng", self.folder / "large.png")
        film = Film(self.scene, self.rig, Motion(stage=Stage(rate=100, duration=100.0)), 4000)
        with self.assertRaisesRegex(MotionError, "are more than any film may have"):
            write_film(film, "webm", self.folder / "large.webm")


class DrawingTests(TestCase):
    """Made-up scenes, by hand and by many samples."""

    def setUp(self) -> None:
        self.scratch = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def placed(self, name: str, pixels: np.ndarray, left: int, top: int, blend: str = "normal") -> Placed:
        image = kept(Image.fromarray(pixels, "RGBA"), self.scratch / f"{name}.raw")
        return Placed(
            label=name, image=image, left=left, top=top, opacity=1.0, blend=blend,
            area=(left, top, left + image.width, top + image.height),
        )  # fmt: skip

    def scene(self, tree: tuple[GroupEntry | PartUse, ...], *placed: Placed, size: tuple[int, int] = (80, 60)) -> Scene:
        return Scene(
            way="places", scale=1.0, width=size[0], height=size[1], tree=tree, placed={one.label: one for one in placed},
            ground=None, largest=0.0, mean=0.0,
        )  # fmt: skip

    def part(self, name: str, pivot: tuple[float, float]) -> RigPart:
        return RigPart(id=name, name=name, pivot=pivot, middle=pivot, parent=None)

    def test_a_turned_part_is_near_sixteen_by_sixteen_samples(self) -> None:
        y, x = np.mgrid[:32, :48]
        soft = np.dstack(
            [x * 5, y * 7, 255 - x * 4, np.clip(40 * np.minimum(np.minimum(x, 47 - x), np.minimum(y, 31 - y)), 0, 255)]
        )
        pixels = soft.astype(np.uint8)
        scene = self.scene((PartUse("a", True),), self.placed("a", pixels, 15, 12))
        degrees = 27.0
        motion = Motion(stage=SECOND).with_tracks({("a", "rotate"): Track("a", "rotate", (Key(0, degrees),))})
        seen = straight(Film(scene, Rig((self.part("a", (40.0, 30.0)),), {}), motion).picture(0))
        # Each pixel as the mean of 256 places in it, each between the four pixels around it.
        source = np.zeros((34, 50, 4))
        source[1:-1, 1:-1] = straight(pixels)
        angle = math.radians(-degrees)
        total = np.zeros((60, 80, 4))
        for sub in range(256):
            down, across = np.mgrid[:60, :80] + (np.array([sub // 16, sub % 16]).reshape(2, 1, 1) + 0.5) / 16
            dx, dy = across - 40, down - 30
            from_x = 40 + dx * math.cos(angle) - dy * math.sin(angle) - 15 + 0.5
            from_y = 30 + dx * math.sin(angle) + dy * math.cos(angle) - 12 + 0.5
            left, top = np.floor(from_x).astype(int), np.floor(from_y).astype(int)
            inside = (left >= 0) & (left < 49) & (top >= 0) & (top < 33)
            left, top = np.where(inside, left, 0), np.where(inside, top, 0)
            u, v = (from_x - left)[..., None], (from_y - top)[..., None]
            here = (
                source[top, left] * (1 - u) * (1 - v) + source[top, left + 1] * u * (1 - v)
                + source[top + 1, left] * (1 - u) * v + source[top + 1, left + 1] * u * v
            )  # fmt: skip
            total += np.where(inside[..., None], here, 0)
        apart = np.abs(seen - total / 256) * 255
        self.assertLess(apart.mean(), 0.6)
        self.assertLess(apart.max(), 16)

    def test_the_member_that_a_key_names_is_seen(self) -> None:
        colours = {"red": (255, 0, 0, 255), "green": (0, 255, 0, 255)}
        placed = [self.placed(name, np.full((4, 4, 4), colour, np.uint8), 0, 0) for name, colour in colours.items()]
        group = GroupEntry("mouth", True, 1.0, "normal", False, (PartUse("red", True), PartUse("green", False)), True)
        scene = self.scene((group,), *placed, size=(4, 4))
        rig = Rig(tuple(self.part(name, (0, 0)) for name in colours), {"mouth": RigSet(("red", "green"), 0)})
        track = Track("mouth", "shown", (Key(0, "red"), Key(0.5, "green")))
        film = Film(scene, rig, Motion(stage=SECOND, tracks=(track,)))
        self.assertEqual(
            [film.picture(at)[0, 0].tolist() for at in (0, 3, 4, 7)], [[255, 0, 0, 255]] * 2 + [[0, 255, 0, 255]] * 2
        )

    def test_groups_modes_opacity_and_ground_agree_with_the_proof(self) -> None:
        """What does not move is laid by the proof's own way; the same parts a hair away come out as near as one level."""
        rng = np.random.default_rng(4)
        for mode in (
            "multiply",
            "screen",
            "overlay",
            "darken",
            "lighten",
            "hard-light",
            "difference",
            "exclusion",
            "soft-light",
            "luminosity",
            "lighter",
            "destination-in",
        ):
            under = rng.integers(0, 256, (20, 30, 4), dtype=np.uint8)
            over = np.full((12, 18, 4), rng.integers(0, 256, 4), np.uint8)
            group = GroupEntry("g", True, 0.8, "normal", True, (PartUse("over", True),))
            tree = (PartUse("under", True), PartUse("blended", True), group)
            placed = (
                self.placed("under", under, 0, 0),
                self.placed("blended", over, 4, 3, mode),
                self.placed("over", over, 8, 6),
            )
            scene = self.scene(tree, *placed, size=(30, 20))
            rig = Rig(tuple(self.part(one.label, (15, 10)) for one in placed), {})
            exact = Film(scene, rig, Motion(stage=SECOND)).picture(0)
            tracks = tuple(Track(name, "rotate", (Key(0, 1e-6),)) for name in ("blended", "over", "under"))
            warped = Film(scene, rig, Motion(stage=SECOND, tracks=tracks)).picture(0)
            with self.subTest(mode):
                self.assertLessEqual(np.abs(straight(exact) - straight(warped)).max() * 255, 1.5)
        ground = Film(scene, rig, Motion(stage=Stage(duration=1.0, ground="#204060"))).picture(0)
        self.assertTrue((ground[..., 3] == 255).all())

    def test_pictures_of_an_animated_part_follow_its_own_times(self) -> None:
        colours = [(255, 0, 0, 255), (0, 255, 0, 255), (0, 0, 255, 255)]
        images = [
            kept(Image.new("RGBA", (4, 4), colour), self.scratch / f"{at}.raw") for at, colour in enumerate(colours)
        ]
        still = self.placed("a", np.zeros((4, 4, 4), np.uint8), 0, 0)
        values = {name: getattr(still, name) for name in Placed.__dataclass_fields__}
        moments = tuple(zip(images, (125, 250, None), strict=True))
        scene = self.scene((PartUse("a", True),), Placed(**values | {"moments": moments}), size=(4, 4))
        film = Film(scene, Rig((self.part("a", (0, 0)),), {}), Motion(stage=SECOND))
        self.assertEqual([colours.index(tuple(film.picture(at)[0, 0])) for at in range(8)], [0, 1, 1, 2, 0, 1, 1, 2])

    def test_back_and_forth_without_end_is_written_until_it_is_where_it_began(self) -> None:
        scene = self.scene((PartUse("a", True),), self.placed("a", np.full((4, 4, 4), 255, np.uint8), 0, 0))
        rig = Rig((self.part("a", (0, 0)),), {})
        for stage, count in (
            (Stage(rate=8, duration=1.0, direction="alternate"), 16),
            (Stage(rate=8, duration=1.0, iterations=2.5), 20),
            (Stage(rate=8, duration=1.0), 8),
        ):
            self.assertEqual(Film(scene, rig, Motion(stage=stage)).count, count)

    def test_a_part_that_is_flat_far_away_or_before_the_camera_is_not_seen(self) -> None:
        scene = self.scene((PartUse("a", True),), self.placed("a", np.full((4, 4, 4), 255, np.uint8), 10, 10))
        rig = Rig((self.part("a", (12, 12)),), {})
        for name, value in (("scale", (0.0, 1.0)), ("translate", (1e6, 0.0)), ("scale", (1e6, 1e6))):
            track = Track("a", name, (Key(0, value),))  # type: ignore[arg-type]
            picture = Film(scene, rig, Motion(stage=SECOND, tracks=(track,))).picture(0)
            self.assertEqual(picture[0, 0, 3] > 0, value == (1e6, 1e6), (name, value))
