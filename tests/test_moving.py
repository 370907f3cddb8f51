"""Parts that are posed and moved: by the pointer, by numbers and by keys; and Chromium's own animations as a second opinion on timing."""

import itertools
import json
import random
from typing import Any

import numpy as np
from PIL import Image
from playwright.sync_api import expect

from tests.product import ProductTestCase
from tests.test_rules import PageTestCase
from yuplet.arrangement.commands import Command, MakeAlternates, SetFits, SetJoints, SetPivots, SetRoles
from yuplet.rehearsal.motion.document import Key, Motion, MotionPath, Track
from yuplet.rehearsal.motion.easing import NAMES
from yuplet.rehearsal.motion.rig import Rig, RigPart
from yuplet.rehearsal.motion.sampling import packed, sample, through_camera
from yuplet.rehearsal.motion.timing import directed
from yuplet_server.arrangement.actions import perform
from yuplet_server.arrangement.models import Row
from yuplet_server.handovers.actions import ask
from yuplet_server.jobs.actions import run
from yuplet_server.projects.models import Project
from yuplet_server.rehearsals.actions import open_hand_over
from yuplet_server.rehearsals.models import Film, Rehearsal

PARTS = Rig(
    tuple(
        RigPart(id=str(at), name=f"part {at}", pivot=(10.0 * at, 7.0), middle=(0, 0), parent=parent)
        for at, parent in enumerate((None, "0", "1", "1", None, "4"))
    ),
    {},
)
EASINGS = (
    "linear",
    *NAMES,
    "steps(4, jump-none)",
    "steps(3, jump-both)",
    "cubic-bezier(0.3, -0.5, 0.2, 1.6)",
    "linear(0, 0.8 25%, 0.4 60%, 1)",
)


class OpenedTestCase(ProductTestCase):
    """The signal post, handed over and opened."""

    has_worker = False
    rehearsal: int

    def open_it(self, *commands: Command, task: str) -> None:
        """Handed over after these steps, with what is wanted of *Try out* on the screen."""
        self.illustration = Project.objects.get(pk=self.project.pk).illustrations.get()
        for version, command in enumerate(commands, 1):
            perform(self.illustration.pk, self.user, version, command)
        made = ask(self.illustration, self.user, len(commands) + 1)
        assert made.job_id is not None
        run(made.job_id)
        made.refresh_from_db()
        opened = open_hand_over(made, self.user, {})
        assert opened.job_id is not None
        run(opened.job_id)
        self.rehearsal = opened.pk
        self.page.reload()
        self.to_step("Try out")
        self.page.get_by_text(task, exact=True).click()


class ScreensTests(OpenedTestCase):
    def test_pieces_on_three_screens_and_one_of_ones_own(self) -> None:
        self.open_picture()
        rows = dict(Row.objects.values_list("name", "row"))
        arms = [rows["arm"], rows["arm lowered"]]
        self.open_it(
            MakeAlternates(tuple(arms)),
            SetRoles(dict.fromkeys(arms, "press-target")),
            SetFits(anchors={rows["lamp"]: (1.0, 0.0)}),
            task="Screens",
        )
        stage = self.page.get_by_role("region", name="Screens")
        expect(stage.locator("figure")).to_have_count(3)
        self.page.locator("section[data-pictures='9']").wait_for()
        frames = [one.bounding_box() or {} for one in stage.locator("canvas").all()]
        window = stage.bounding_box() or {}
        for one, other in itertools.combinations(frames, 2):
            across = min(one["x"] + one["width"], other["x"] + other["width"]) - max(one["x"], other["x"])
            down = min(one["y"] + one["height"], other["y"] + other["height"]) - max(one["y"], other["y"])
            self.assertLessEqual(min(across, down), 0, "frames lie side by side")
        for frame in frames:
            self.assertLessEqual(frame["x"] + frame["width"], window["x"] + window["width"])
            self.assertLessEqual(frame["y"] + frame["height"], window["y"] + window["height"])
        with self.subTest("a piece is drawn where the server says"):
            (told,) = self.page.request.get(f"/api/rehearsals/{self.rehearsal}/screens?size=1080x1920").json()
            parts = self.page.request.get(f"/api/rehearsals/{self.rehearsal}").json()["result"]["parts"]
            (lamp,) = (at for at, part in enumerate(parts) if part["name"].endswith("lamp"))
            place, grown = told["places"][lamp], 1080 / 97
            self.assertAlmostEqual(place["left"], 1080 - (97 - parts[lamp]["left"]) * grown)
            self.assertAlmostEqual(place["top"], parts[lamp]["top"] * grown)
            colour = self.colour("1080x1920", place["left"] + place["width"] / 2, place["top"] + place["height"] / 2)
            self.assertEqual(colour[3] > 150 and colour[0] > colour[2], True, colour)
        with self.subTest("pressed, by keyboard as well, it changes"):
            phone = stage.locator("figure").nth(2)
            button = phone.get_by_role("button")
            self.assertIn(": arm", button.get_attribute("aria-label") or "")
            before = self.drawn("1080x1920")
            button.focus()
            self.page.keyboard.press("Enter")
            expect(phone.get_by_role("button", pressed=True)).to_have_count(1)
            self.assertNotEqual(self.drawn("1080x1920"), before)
        with self.subTest("a screen of one's own, and what is wrong on it"):
            self.page.get_by_label("Width, px").fill("97")
            self.page.get_by_label("Height, px").fill("73")
            self.page.get_by_role("button", name="Add screen").click()
            report = self.page.get_by_role("region", name="Custom size, 97 × 73 px")
            expect(report).to_contain_text("a press target needs 44")
            report.get_by_role("button", name="a press target needs 44").first.click()
            expect(stage.locator("[class*=found]")).to_have_count(1)
            self.page.reload()
            self.page.get_by_text("Screens", exact=True).click()
            expect(stage.locator("figure")).to_have_count(4)
            report.get_by_role("button", name="Remove").click()
            expect(stage.locator("figure")).to_have_count(3)
        self.assert_accessible("screens")

    def drawn(self, size: str) -> str:
        return str(self.page.get_by_test_id(f"screen {size}").evaluate("canvas => canvas.toDataURL()"))

    def colour(self, size: str, x: float, y: float) -> list[int]:
        """What is drawn at a pixel of a screen."""
        script = """(canvas, [x, y, wide]) => {
            const zoom = canvas.width / wide;
            return [...canvas.getContext('2d').getImageData(Math.floor(x * zoom), Math.floor(y * zoom), 1, 1).data];
        }"""
        wide = int(size.split("x")[0])
        return list(self.page.get_by_test_id(f"screen {size}").evaluate(script, [x, y, wide]))


class MovingTests(OpenedTestCase):
    def setUp(self) -> None:
        """The signal post with an arm on its mast, handed over and opened."""
        super().setUp()
        self.open_picture()
        rows = dict(Row.objects.filter(kind="part").values_list("name", "row"))
        self.open_it(
            SetJoints({rows["lamp"]: rows["mast"]}),
            SetPivots({rows["mast"]: (40.0, 60.0), rows["lamp"]: (45.0, 20.0)}),
            task="Move",
        )
        self.page.locator("[data-pictures='9']").wait_for()

    def part(self, name: str) -> dict[str, Any]:
        opened = self.page.request.get(f"/api/rehearsals/{self.rehearsal}").json()
        return next(one for one in opened["result"]["parts"] if one["name"].split(" / ")[-1] == name)

    def spot(self, x: float, y: float) -> tuple[float, float]:
        """Where a pixel of the canvas is on the screen."""
        frame = self.page.get_by_test_id("stage").bounding_box() or {}
        zoom = (
            int(self.page.get_by_role("region", name="Stage").get_by_label("Zoom", exact=True).inner_text().split()[0])
            / 100
        )
        left, top = (round((frame[side] - size * zoom) / 2) for side, size in (("width", 97), ("height", 73)))
        return frame["x"] + left + (x + 0.5) * zoom, frame["y"] + top + (y + 0.5) * zoom

    def choose(self, name: str, shift: int = 0) -> tuple[float, float]:
        """Press a part where it is drawn and in front, so many pixels to the right; answers the pixel of the canvas."""
        part = self.part(name)
        legend = self.page.locator("legend", has_text=name)
        for y, x in itertools.product(range(part["height"] // 4, part["height"], 3), range(1, part["width"], 3)):
            place = part["left"] + x + shift, part["top"] + y
            self.page.mouse.click(*self.spot(*place))
            if legend.count():
                return place
        raise AssertionError(f"'{name}' is nowhere in front")

    def chosen(self, name: str) -> None:
        """From the list, as somebody does who has no pointer."""
        self.page.get_by_label("Part", exact=True).select_option(self.part(name)["id"])

    def motion(self) -> dict[str, Any]:
        return dict(self.page.request.get(f"/api/rehearsals/{self.rehearsal}/motion").json()["motion"])

    def keys(self, name: str, what: str = "rotate") -> list[tuple[float, Any]]:
        own = self.part(name)["id"]
        found = [one["keys"] for one in self.motion()["tracks"] if (one["target"], one["property"]) == (own, what)]
        return [(key["at"], key["value"]) for keys in found for key in keys]

    def saved(self) -> None:
        expect(self.page.get_by_role("status").filter(has_text="Saving")).to_have_count(0)

    def stage(self) -> str:
        """All that the stage shows."""
        return str(self.page.get_by_test_id("stage").evaluate("canvas => canvas.toDataURL()"))

    def seek(self, seconds: float) -> None:
        """On the ruler, by its keys; there are 24 pictures a second."""
        slider = self.page.get_by_role("slider", name="Frame")
        slider.press("Home")
        for _ in range(round(seconds * 2)):
            for _ in range(12):
                slider.press("ArrowRight")
        expect(slider).to_have_attribute("aria-valuetext", f"{seconds:.2f} s")

    def test_a_part_is_turned_on_the_picture_and_what_it_carries_goes_along(self) -> None:
        page = self.page
        with self.subTest("the tracks give way to the picture"):
            page.get_by_role("button", name="Tracks").click()
            room = page.get_by_test_id("stage").bounding_box() or {}
            self.assertGreater(room["width"] * room["height"] / (1280 * 800), 0.58)
            page.get_by_role("button", name="Tracks").click()
        still = self.stage()
        self.assert_accessible("Move")
        x, y = self.choose("mast")
        page.mouse.move(*self.spot(x, y))
        page.mouse.down()
        page.mouse.move(*self.spot(x + 10, y + 4), steps=3)
        page.mouse.move(*self.spot(x + 22, y + 8), steps=3)
        page.mouse.up()
        self.saved()
        ((at, degrees),) = self.keys("mast")
        self.assertEqual(at, 0)
        before, after = np.arctan2(y - 59.5, x - 39.5), np.arctan2(y + 8 - 59.5, x + 22 - 39.5)
        self.assertAlmostEqual(degrees, float(np.degrees(after - before)), delta=3)
        self.assertNotEqual(self.stage(), still)
        with self.subTest("its lamp goes along"):
            maps = np.frombuffer(
                page.request.get(f"/api/rehearsals/{self.rehearsal}/motion/samples").body(), "<f4", 63, 20
            )
            names = [
                one["name"].split(" / ")[-1]
                for one in page.request.get(f"/api/rehearsals/{self.rehearsal}").json()["result"]["parts"]
            ]
            mast, lamp = (maps.reshape(9, 7)[names.index(name)] for name in ("mast", "lamp"))
            np.testing.assert_array_equal(mast, lamp)
        with self.subTest("undone, done again, and there after a reload"):
            page.keyboard.press("Control+z")
            expect(page.get_by_role("button", name="Redo")).to_be_enabled()
            self.assertEqual(self.keys("mast"), [])
            page.keyboard.press("Control+Shift+z")
            expect(page.get_by_role("button", name="Redo")).to_be_disabled()
            self.saved()
            page.reload()
            page.locator("[data-pictures='9']").wait_for()
            self.assertEqual(self.keys("mast"), [(0, degrees)])
        with self.subTest("put back, all lies exactly as it was"):
            page.get_by_label("Drag to").get_by_text("Turn").click()
            self.choose("mast")
            page.get_by_role("button", name="Reset", exact=True).click()
            self.saved()
            page.keyboard.press("Escape")
            self.assertEqual(self.keys("mast"), [])

    def test_keys_back_and_forth_by_numbers_and_what_is_seen_between(self) -> None:
        page = self.page
        self.chosen("lamp")
        turn = page.get_by_label("Turn, °")
        page.get_by_label("Write keys").check(force=True)
        turn.fill("10")
        turn.press("Enter")
        self.saved()
        self.seek(1)
        turn.fill("50")
        turn.press("Enter")
        self.saved()
        self.assertEqual(self.keys("lamp"), [(0, 10), (1, 50)])
        self.seek(0.5)
        expect(turn).to_have_value("30")
        page.get_by_label("Length, s").fill("1")
        page.get_by_label("Length, s").press("Enter")
        page.get_by_label("Direction").select_option("alternate")
        self.saved()
        with self.subTest("an easing, a key moved by keyboard, copied and removed"):
            first = page.get_by_role("button", name="Key of lamp · turn at 0.00 s")
            first.click()
            page.get_by_label("Easing to the next key").select_option("step-end")
            self.saved()
            self.seek(0.5)
            expect(turn).to_have_value("10")
            last = page.get_by_role("button", name="Key of lamp · turn at 1.00 s")
            last.focus()
            last.press("ArrowLeft")
            self.saved()
            self.assertEqual([round(at, 3) for at, _ in self.keys("lamp")], [0, 0.958])
            page.get_by_role("button", name="Copy", exact=True).click()
            page.get_by_role("button", name="Paste", exact=True).click()
            self.saved()
            self.assertEqual([round(at, 3) for at, _ in self.keys("lamp")], [0, 0.5, 0.958])
            page.get_by_role("button", name="Key of lamp · turn at 0.50 s").press("Delete")
            self.saved()
            self.assertEqual([round(at, 3) for at, _ in self.keys("lamp")], [0, 0.958])
        with self.subTest("its curve, by the pointer and by arrow keys"):
            page.get_by_role("button", name="Curve", exact=True).click()
            first.click()
            page.get_by_label("Easing to the next key").select_option("ease-in-out")
            self.saved()
            curve = page.get_by_role("region", name="Curve of lamp · turn")
            point = curve.get_by_role("slider", name="Turn at 0.00 s")
            point.press("Shift+ArrowUp")
            self.saved()
            self.assertEqual(self.keys("lamp")[0], (0, 20))
            frame = point.bounding_box() or {}
            self.drag(frame, 0, -15)
            self.saved()
            self.assertGreater(self.keys("lamp")[0][1], 21)
            bend = curve.get_by_role("slider", name="Leaving this key")
            self.drag(bend.bounding_box() or {}, -40, -20)
            self.saved()
            track = next(one for one in self.motion()["tracks"] if one["property"] == "rotate")
            self.assertRegex(track["keys"][0]["easing"], r"^cubic-bezier\(0\.\d+, 0\.\d+, 0\.58, 1\)$")
            self.assert_accessible("Move, with a curve")
            page.get_by_role("button", name="Curve", exact=True).click()
        with self.subTest("it plays and halts on a picture"):
            page.get_by_role("button", name="Play").click()
            page.wait_for_timeout(700)
            page.get_by_role("button", name="Pause").click()
            self.assertNotIn("0.00 s", page.get_by_test_id("clock").inner_text())
        self.assert_accessible("Move, with keys")

    def drag(self, box: Any, across: float, down: float) -> None:
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        self.page.mouse.move(x + across / 2, y + down / 2)
        self.page.mouse.move(x + across, y + down)
        self.page.mouse.up()

    def test_the_camera_goes_by_and_what_ends_within_the_picture_is_said(self) -> None:
        page = self.page
        page.get_by_label("Write keys").check(force=True)
        self.seek(1)
        # The first number to the right is the camera's while no part is chosen.
        page.get_by_label("Right, px").fill("20")
        page.get_by_label("Right, px").press("Enter")
        self.saved()
        expect(page.get_by_role("button", name="Key of Camera · place at 1.00 s")).to_be_visible()
        expect(page.get_by_text("px on the right at picture 25").first).to_be_visible()
        self.seek(0.5)
        expect(page.get_by_label("Right, px")).to_have_value("10")
        with self.subTest("it is no pose of the parts"):
            self.chosen("lamp")
            own = page.get_by_role("group", name="lamp", exact=True)
            expect(own.get_by_label("Right, px")).to_have_value("0")
            x, y = self.choose("mast", -10)
            page.get_by_label("Drag to").get_by_text("Move").click()
            page.mouse.move(*self.spot(x, y))
            page.mouse.down()
            page.mouse.move(*self.spot(x + 6, y), steps=3)
            page.mouse.up()
            self.saved()
            self.assertEqual([value for at, value in self.keys("mast", "translate") if at], [[6, 0]])
        page.get_by_text("px on the right at picture 25").first.click()
        expect(page.get_by_role("slider", name="Frame")).to_have_attribute("aria-valuetext", "1.00 s")

    def test_a_part_goes_along_a_path_that_is_drawn(self) -> None:
        page = self.page
        self.chosen("lamp")
        page.get_by_role("button", name="Draw path").click()
        for place in ((10, 60), (30, 20), (80, 40)):
            page.mouse.click(*self.spot(*place))
        page.get_by_role("button", name="Use path").click()
        self.saved()
        (path,) = self.motion()["paths"]
        self.assertTrue(path["data"].startswith("M 10.5 60.5 C"), path)
        self.assertEqual(self.keys("lamp", "offset-distance"), [(0, 0), (2, 100)])
        page.get_by_label("SVG path data").fill("M 0 0 nowhere")
        page.get_by_label("SVG path data").press("Enter")
        expect(page.get_by_role("alert")).to_contain_text("is no path")
        page.get_by_label("Rotate along the path").click()
        self.saved()
        self.assertIsNone(self.motion()["paths"][0]["turns"])
        self.assert_accessible("Move, with a path")
        page.get_by_role("button", name="Remove path").click()
        self.saved()
        self.assertEqual((self.motion()["paths"], self.motion()["tracks"]), ([], []))

    def test_the_motion_is_written_down_and_kept_for_other_figures(self) -> None:
        page = self.page
        self.chosen("lamp")
        page.get_by_label("Turn, °").fill("25")
        page.get_by_label("Turn, °").press("Enter")
        self.saved()
        page.get_by_label("Format").select_option("gif")
        page.get_by_label("Width, px").fill("194")
        page.get_by_role("button", name="Write film").click()
        expect(page.get_by_role("button", name="Write film")).to_be_disabled()
        film = Film.objects.get()
        assert film.job_id is not None
        run(film.job_id)
        link = page.get_by_role("link", name="Animated GIF")
        expect(link).to_be_visible()
        expect(page.get_by_text("48 pictures")).to_be_visible()
        with page.expect_download() as waiting:
            link.click()
        with Image.open(waiting.value.path()) as opened:
            self.assertEqual((opened.format, opened.size), ("GIF", (194, 146)))
        page.get_by_role("button", name="Discard film").click()
        expect(link).to_have_count(0)
        with self.subTest("as what its receiver plays, read back"):
            page.get_by_label("Format").select_option("drawing")
            expect(page.get_by_label("Width, px")).to_have_count(0)
            page.get_by_role("button", name="Write motion").click()
            expect(page.get_by_role("button", name="Write motion")).to_be_disabled()
            film = Film.objects.get()
            assert film.job_id is not None
            run(film.job_id)
            expect(page.get_by_text("Read back at 20 frames: every part within 0.1 px.")).to_be_visible()
        with self.subTest("kept for other figures, and laid on one"):
            page.get_by_label("Motion name").fill("lamp askew")
            page.get_by_role("button", name="Keep", exact=True).click()
            expect(page.get_by_role("button", name="Use for this figure")).to_be_visible()
            page.get_by_role("button", name="Reset all").click()
            self.saved()
            self.assertEqual(self.motion()["tracks"], [])
            page.get_by_role("button", name="Use for this figure").click()
            expect(page.get_by_role("region", name="Counterparts")).to_contain_text(
                "1 part by name, 0 by words or role."
            )
            page.get_by_role("button", name="Use motion").click()
            self.saved()
            self.assertEqual(self.keys("lamp"), [(0, 25)])
            expect(page.get_by_role("status").filter(has_text="Last step: Lay 'lamp askew'")).to_be_visible()
            self.assert_accessible("Move, with a shelf")

    def test_a_package_that_an_earlier_version_opened_is_opened_again(self) -> None:
        page = self.page
        opened = Rehearsal.objects.get(pk=self.rehearsal)
        assert opened.result is not None
        for part in opened.result["parts"]:
            for name in ("picture", "moments", "pivot", "parent", "depth", "group", "is_on"):
                del part[name]
        del opened.result["groups"], opened.result["distance"]
        opened.save()
        page.reload()
        page.get_by_role("button", name="Open again").click()
        expect(page.get_by_text("Opening").or_(page.get_by_role("progressbar")).first).to_be_visible()
        opened.refresh_from_db()
        assert opened.job_id is not None
        run(opened.job_id)
        page.locator("[data-pictures='9']").wait_for()

    def test_a_refused_step_is_said_and_nothing_is_lost(self) -> None:
        page = self.page
        self.chosen("lamp")
        page.get_by_role("button", name="Mirror to the other side").click()
        expect(page.get_by_role("alert")).to_contain_text("'lamp' has no twin")
        page.get_by_label("Opacity, %").fill("40")
        page.get_by_label("Opacity, %").press("Enter")
        self.saved()
        expect(page.get_by_role("alert")).to_have_count(0)
        self.assertEqual(self.keys("lamp", "opacity"), [(0, 0.4)])

    def test_the_answer_to_a_step_is_lost_and_it_is_done_once(self) -> None:
        page = self.page
        self.chosen("lamp")
        lost: list[int] = []

        def lose_the_first(route: Any) -> None:
            answer = route.fetch()
            if lost:
                route.fulfill(response=answer)
            else:
                lost.append(answer.status)
                route.abort()

        page.route("**/motion/steps", lose_the_first)
        page.get_by_label("Turn, °").fill("25")
        page.get_by_label("Turn, °").press("Enter")
        expect(page.get_by_role("status").filter(has_text="Last step: Turn 'lamp'")).to_be_visible()
        self.assertEqual((lost, self.keys("lamp")), ([200], [(0, 25)]))
        self.assertEqual(page.request.get(f"/api/rehearsals/{self.rehearsal}/motion").json()["version"], 1)


class SecondOpinionTests(PageTestCase):
    """W3C Web Animations as Chromium has them: the same keys, easings, iterations and directions, and where that takes a value."""

    def test_timing(self) -> None:
        chance = random.Random(11)
        cases = []
        for direction, fill, text in itertools.product(
            ("normal", "reverse", "alternate", "alternate-reverse"), ("none", "forwards", "backwards", "both"), EASINGS
        ):
            duration, iterations = chance.choice([0.5, 1.0, 2.4]), chance.choice([1.0, 2.0, 2.5, 3.25, None])
            times = [round(chance.uniform(-0.5, 4 * duration), 4) for _ in range(10)] + [0.0, duration, 2 * duration]
            middle = round(duration * chance.choice([0.25, 0.5, 0.7]), 4)
            values = [chance.uniform(-50, 50) for _ in range(3)]
            cases.append(
                {
                    "duration": duration, "iterations": iterations, "direction": direction, "fill": fill, "easing": text,
                    "times": times, "middle": middle, "values": values,
                }
            )  # fmt: skip
        self.assertGreater(len(cases) * 13, 200)
        script = """(one) => {
            const element = document.body.appendChild(document.createElement('div'));
            const [first, second, last] = one.values.map(value => `${value}px`);
            const animation = element.animate(
                [
                    { marginLeft: first, easing: one.easing, offset: 0 },
                    { marginLeft: second, easing: one.easing, offset: one.middle / one.duration },
                    { marginLeft: last, offset: 1 },
                ],
                { duration: one.duration * 1000, iterations: one.iterations ?? Infinity, direction: one.direction, fill: one.fill },
            );
            animation.pause();
            const found = one.times.map(time => {
                animation.currentTime = time * 1000;
                const { progress } = animation.effect.getComputedTiming();
                return [progress, parseFloat(getComputedStyle(element).marginLeft)];
            });
            element.remove();
            return found;
        }"""
        told = self.asked(script, cases)
        moments = self.asked("(one) => one.times.map(time => plain.momentAt(one, time))", cases)
        compared = 0
        for case, seen, page in zip(cases, told, moments, strict=True):
            times = np.array(case["times"])
            ours = directed(times, case["duration"], case["iterations"], case["direction"], case["fill"])
            keys = zip((0.0, case["middle"], case["duration"]), case["values"], strict=True)
            track = Track("0", "rotate", tuple(Key(at, value, case["easing"]) for at, value in keys))
            motion = Motion().with_tracks({track.place: track})
            for (progress, value), moment, own, time in zip(seen, page, ours, times, strict=True):
                what = json.dumps({**case, "time": float(time)})
                if progress is None:
                    self.assertTrue(np.isnan(own) and moment is None, what)
                    continue
                self.assertAlmostEqual(own / case["duration"], progress, 6, what)
                self.assertAlmostEqual(moment, own, 9, what)
                sampled = sample(motion, PARTS, np.array([own])).maps[0, 0]
                # Before it begins and after it has ended Chromium takes the other side of a step; our motions begin at 0.
                active = np.inf if case["iterations"] is None else case["duration"] * case["iterations"]
                if case["easing"].startswith("step") and not 0 < time < active:
                    continue
                # Where a step lies on the very moment, either side is right.
                near = sample(motion, PARTS, np.array([max(own - 1e-7, 0), own + 1e-7])).maps[:, 0]
                if np.abs(near[0] - near[1]).max() > 1e-4:
                    continue
                angle = np.degrees(np.arctan2(sampled[1], sampled[0]))
                self.assertAlmostEqual(float(angle), value, delta=0.05 + 1e-3 * abs(value), msg=what)
                compared += 1
        self.assertGreater(compared, 1000)

    def test_paths(self) -> None:
        """W3C Motion Path as Chromium has it: offset-path, offset-distance and offset-rotate, with arcs, curves and corners."""
        paths = (
            "M 20 300 C 60 40 240 40 300 260",
            "M 0 0 H 120 V 90 L 40 170",
            "M 50 50 A 60 40 20 1 1 180 120 q 40 60 90 10 t 60 -30",
            "m 10 10 c 30 0 60 30 60 60 s 30 60 60 60 z",
        )
        shares = [round(0.013 + 0.0487 * at, 4) for at in range(20)]
        cases = [{"path": path, "shares": shares, "turns": turns} for path in paths for turns in (0, 35, None)]
        script = """(one) => {
            const frame = document.body.appendChild(document.createElement('div'));
            frame.style.cssText = 'position: fixed; left: 0; top: 0; width: 0; height: 0';
            const element = frame.appendChild(document.createElement('div'));
            const rotate = one.turns === null ? '0deg' : `auto ${one.turns}deg`;
            element.style.cssText = `position: absolute; left: 0; top: 0; width: 0; height: 0; offset-path: path('${one.path}'); offset-rotate: ${rotate}`;
            const ends = [0, 50].map(left => {
                const end = element.appendChild(document.createElement('div'));
                end.style.cssText = `position: absolute; left: ${left}px; top: 0; width: 0; height: 0`;
                return end;
            });
            const found = one.shares.map(share => {
                element.style.offsetDistance = `${share * 100}%`;
                return ends.map(end => { const { x, y } = end.getBoundingClientRect(); return [x, y]; });
            });
            frame.remove();
            return found;
        }"""
        rig = Rig((RigPart(id="a", name="a", pivot=(0.0, 0.0), middle=(0, 0), parent=None),), {})
        for case, told in zip(cases, self.asked(script, cases), strict=True):
            keys = (Key(0.0, 0.0), Key(1.0, 100.0))
            motion = Motion(
                tracks=(Track("a", "offset-distance", keys),), paths=(MotionPath("a", case["path"], case["turns"]),)
            )
            maps = sample(motion, rig, np.array(shares)).maps[:, 0]
            ends = np.stack([maps[:, 4:], maps[:, 4:] + 50 * maps[:, :2]], axis=1)
            # Chromium measures curves by straight pieces of its own.
            np.testing.assert_allclose(ends, told, atol=0.5, err_msg=str(case))


class PageRuleTests(PageTestCase):
    """What the page computes while somebody drags is what the core computes afterwards."""

    def test_maps_of_what_is_dragged(self) -> None:
        chance = random.Random(12)
        parents = [-1 if one.parent is None else int(one.parent) for one in PARTS.parts]
        cases, wanted = [], []
        for _ in range(60):
            values: dict[str, dict[str, Any]] = {
                one.id: {
                    "rotate": chance.uniform(-200, 200),
                    "translate": (chance.uniform(-9, 9), chance.uniform(-9, 9)),
                    "scale": (chance.uniform(0.5, 2), chance.uniform(0.5, 2)),
                }
                for one in PARTS.parts
            }
            part = chance.randrange(6)
            after = {**values, str(part): {"rotate": 33.0, "translate": (5.0, -3.0), "scale": (1.5, 0.75)}}
            cases.append(
                {
                    "maps": self.maps(values),
                    "parents": parents,
                    "part": part,
                    "pose": {**after[str(part)], "opacity": 1},
                    "about": {"x": 10.0 * part, "y": 7.0},
                }
            )
            wanted.append(self.maps(after))
        script = """({maps, parents, part, pose, about}) => {
            const own = plain.mapOf(pose, about);
            const above = maps[parents[part]] ?? [1, 0, 0, 1, 0, 0];
            const [a, b, c, d, e, f] = above;
            const next = [a*own[0]+c*own[1], b*own[0]+d*own[1], a*own[2]+c*own[3], b*own[2]+d*own[3], a*own[4]+c*own[5]+e, b*own[4]+d*own[5]+f];
            return { maps: plain.carriedAlong(maps, parents, part, next), again: plain.poseOf(own, about, pose.rotate, 1) };
        }"""
        for case, told, maps in zip(cases, self.asked(script, cases), wanted, strict=True):
            np.testing.assert_allclose(told["maps"], maps, atol=1e-6)
            for name in ("rotate", "translate", "scale"):
                np.testing.assert_allclose(told["again"][name], case["pose"][name], atol=1e-9)

    def maps(self, values: dict[str, dict[str, Any]]) -> list[list[float]]:
        tracks = {
            (own, name): Track(own, name, (Key(0, value),))
            for own, said in values.items()
            for name, value in said.items()
        }  # type: ignore[arg-type]
        return [list(row) for row in sample(Motion().with_tracks(tracks), PARTS, np.zeros(1)).maps[0].tolist()]  # type: ignore[arg-type]

    def test_what_the_server_packed_is_read_as_it_was(self) -> None:
        motion = Motion().with_tracks(
            {
                ("1", "rotate"): Track("1", "rotate", (Key(0, 0.0), Key(1, 90.0))),
                ("4", "opacity"): Track("4", "opacity", (Key(0, 0.5),)),
                ("@camera", "camera"): Track("@camera", "camera", (Key(0, (0.0, 0.0, 0.0)), Key(1, (8.0, 0.0, 0.0)))),
            }
        )
        sampled = sample(motion, PARTS, np.linspace(0, 1, 5))
        script = """(bytes) => {
            const read = plain.samplesOf(new Uint8Array(bytes).buffer, 3);
            return { ...read, lanes: [...read.lanes], rest: [...read.rest], maps: [...read.maps],
                members: [...read.members], ground: read.ground && [...read.ground], camera: read.camera && [...read.camera] };
        }"""
        (told,) = self.asked(script, [list(packed(sampled))])
        self.assertEqual((told["times"], told["parts"], told["moving"], told["sets"], told["version"]), (5, 6, 3, 0, 3))
        self.assertEqual((told["ground"], told["camera"]), (None, [0, 0, 0, 2, 0, 0, 4, 0, 0, 6, 0, 0, 8, 0, 0]))
        self.assertEqual(told["lanes"], [-1, 0, 1, 2, -1, -1])
        maps = np.array(told["maps"]).reshape(5, 3, 7)
        np.testing.assert_allclose(maps[..., :6], sampled.maps[:, 1:4], atol=1e-4)
        self.assertEqual(np.array(told["rest"]).reshape(6, 7)[4, 6], 0.5)

    def test_the_curve_of_a_property_is_what_is_played(self) -> None:
        keys = [Key(0, 3.0), Key(0.5, -20.0), Key(1.25, 40.0), Key(1.5, 40.5)]
        times = np.linspace(0, 2, 41)
        cases, wanted = [], []
        for text in (*EASINGS, "linear(0 20%, 0.3 40% 50%, 1.4, 0.2, 1)", "steps(2, jump-start)"):
            track = Track("1", "rotate", tuple(Key(key.at, key.value, text) for key in keys))
            told = [{"at": key.at, "value": key.value, "easing": key.easing} for key in track.keys]
            cases.append({"keys": told, "times": times.tolist()})
            maps = sample(Motion().with_tracks({track.place: track}), PARTS, times).maps[:, 1]
            wanted.append(np.degrees(np.arctan2(maps[:, 1], maps[:, 0])))
        script = """({ keys, times }) => {
            const path = document.createElementNS('http://www.w3.org/2000/svg', 'path');
            // So large that what is rounded for the screen matters little.
            path.setAttribute('d', plain.curvePath(keys, 0, 2, (time) => time * 1e4, (value) => value * 1e3));
            const whole = path.getTotalLength();
            return times.map((time) => {
                let [low, high] = [0, whole];
                for (let step = 0; step < 40; step++) {
                    const middle = (low + high) / 2;
                    if (path.getPointAtLength(middle).x < time * 1e4 + 1e-3) low = middle;
                    else high = middle;
                }
                return path.getPointAtLength(high).y / 1e3;
            });
        }"""
        for case, told, told_by_core in zip(cases, self.asked(script, cases), wanted, strict=True):
            # Where it jumps, both sides are right.
            apart = np.abs(np.array(told) - told_by_core)
            jumps = np.abs(np.diff(told_by_core, prepend=told_by_core[0])) > 5
            is_stepped = "step" in case["keys"][0]["easing"]
            self.assertLess(apart[~jumps if is_stepped else slice(None)].max(), 0.15, case["keys"][0]["easing"])

    def test_what_a_camera_does_to_planes(self) -> None:
        chance = random.Random(13)
        cases = [
            {
                "camera": [chance.uniform(-300, 300), chance.uniform(-99, 99), chance.uniform(-400, 1400)],
                "depth": chance.uniform(-500, 2000),
            }
            for _ in range(60)
        ]
        told = self.asked(
            "(one) => plain.throughCamera(one.camera, one.depth, 1000, { width: 640, height: 360 })", cases
        )
        for case, seen in zip(cases, told, strict=True):
            wanted = through_camera(np.array([case["camera"]]), case["depth"], 1000.0, (640, 360))[0]  # type: ignore[arg-type]
            np.testing.assert_allclose(seen, wanted, atol=1e-6)

    def test_pictures_of_animated_parts(self) -> None:
        cases = [
            [[100, 200, None], loops, time] for loops in (0, 1, 2) for time in (0, 0.05, 0.15, 0.35, 0.45, 0.75, 0.95)
        ]
        told = self.asked("([long, loops, time]) => plain.pictureAt(long, loops, time)", cases)
        self.assertEqual(told, [0, 0, 1, 2, 0, 2, 1, 0, 0, 1, 2, 2, 2, 2, 0, 0, 1, 2, 0, 2, 2])
