"""A studio's server under load, while each of its parts is killed in turn: whatever was answered stays, nothing is done twice, and all goes on by itself."""

import io
import tempfile
import time
import uuid
import zipfile
from pathlib import Path
from typing import Any
from unittest import SkipTest

from django.test import SimpleTestCase, tag

import signal_post
from tests.studio.shape import MISSING, Artist, Going, Studio, can_be_there, wait_until


class _Work:
    """What an artist does all day: looks, gives a row another name, hands over."""

    def __init__(self, artist: Artist) -> None:
        self.artist = artist
        artist.sign_in()
        with tempfile.TemporaryDirectory() as folder:
            signal_post.write(Path(folder) / "post.ora")
            data = (Path(folder) / "post.ora").read_bytes()
        project = artist.ask("POST", "/api/projects", {"name": f"{artist.name}'s"})
        self.illustration = artist.send(f"/api/projects/{project['id']}/illustrations", "signal post.ora", data)["id"]
        self.address = f"/api/illustrations/{self.illustration}"
        self.names: list[str] = []
        self.hand_overs: list[int] = []
        self.row = ""
        self.version = 0

    def is_read(self) -> bool:
        return bool(self.artist.ask("GET", self.address)["state"] == "ready")

    def begin(self) -> None:
        arrangement = self.artist.ask("GET", f"{self.address}/arrangement")
        self.row = next(row["id"] for row in arrangement["rows"] if row["kind"] == "part")
        self.version = self.began = arrangement["version"]

    def turn(self) -> None:
        self.artist.ask("GET", f"{self.address}/arrangement")
        preview = self.artist.ask("GET", self.address)["preview"]
        assert self.artist.ask("GET", f"{self.address}/images/{preview}").startswith(b"\x89PNG")
        name = f"name {len(self.names) + 1}"
        # The same id each time that it is sent: a repeat does nothing twice.
        step = {
            "id": str(uuid.uuid4()),
            "version": self.version,
            "command": {"do": "rename-rows", "names": {self.row: name}},
        }
        self.version = self.artist.ask("POST", f"{self.address}/steps", step)["version"]
        self.names.append(name)
        if len(self.names) % 5 == 1:
            made = self.artist.ask("POST", f"{self.address}/hand-overs", {"version": self.version})
            self.hand_overs.append(made["id"])
        time.sleep(0.2)


@tag("studio")
class StudioTests(SimpleTestCase):
    def setUp(self) -> None:
        if not can_be_there():
            raise SkipTest(MISSING)
        folder = Path(self.enterContext(tempfile.TemporaryDirectory(prefix="studio-", dir="/tmp")))  # noqa: S108 - sockets want short paths
        self.studio = Studio(folder)
        self.addCleanup(self.studio.stop)
        self.studio.start()

    def run(self, result: Any = None) -> Any:
        before = len(result.failures) + len(result.errors) if result else 0
        ended = super().run(result)
        if result and len(result.failures) + len(result.errors) > before and hasattr(self, "said"):
            print(self.said)
        return ended

    def artist(self, name: str, *options: str) -> Artist:
        printed = self.studio.manage("add_account", name, *options)
        return Artist(self.studio, name, printed.split("Password: ")[1].strip())

    def test_each_part_is_killed_under_load_and_nothing_is_lost(self) -> None:
        try:
            self._killed()
        finally:
            self.said = self.studio.said()

    def _killed(self) -> None:
        works = [_Work(self.artist(name)) for name in ("ada", "ben", "cleo")]
        for work in works:
            wait_until(work.is_read, 120, "reading")
            work.begin()
        going = [Going(work.turn) for work in works]
        for one in going:
            one.start()
        told = {}
        for name in ("web 1", "worker 1", "queue", "web 2", "database", "short", "worker 2", "front"):
            self.studio.kill(name)
            time.sleep(1.5)
            self.studio.run(name)
            told[name] = self._goes_on(works, going, f"after the {name} was killed")
        self.studio.pause("store", True)
        time.sleep(6)
        self.studio.pause("store", False)
        told["store"] = self._goes_on(works, going, "after the store said nothing")
        told["read only"] = self._while_read_only(works, going)
        if self.studio.can_be_full:
            self._while_one_disk_is_full(works, going)
        else:
            print("No disk of its own could be mounted: a machine with a full one is not tried.")
        for one in going:
            one.ended()

        for work in works:
            with self.subTest(work.artist.name):
                arrangement = work.artist.ask("GET", f"{work.address}/arrangement")
                (row,) = (row for row in arrangement["rows"] if row["id"] == work.row)
                self.assertEqual(
                    row["name"], work.names[-1], "the last name that was answered is the one that is there"
                )
                self.assertEqual(
                    arrangement["version"] - work.began, len(work.names), "no step was done twice, and none was lost"
                )
                wait_until(lambda work=work: self._are_done(work), 240, "hand-overs")  # type: ignore[misc]
                made = {one["id"]: one for one in work.artist.ask("GET", f"{work.address}/hand-overs")}
                for number in work.hand_overs:
                    self.assertTrue(made[number]["report"]["proof"]["ok"], number)
                package = work.artist.ask("GET", f"/api/hand-overs/{work.hand_overs[-1]}/package")
                with zipfile.ZipFile(io.BytesIO(package)) as archive:
                    self.assertIsNone(archive.testzip())
        print("going on after it was killed, seconds:", {name: round(seconds, 1) for name, seconds in told.items()})
        self.assertIn("are there and right", self.studio.manage("check_files"))
        # A backup of what machines share, tried with a database and a disk of its own.
        said = self.studio.admin("backup", str(self.studio.folder / "backups"), "--verify")
        self.assertRegex(said, r"3 projects and 3 illustrations; all \d+ files")

    def _while_read_only(self, works: list[_Work], going: list[Going]) -> float:
        """All can be looked at, and who changes something is told why it does not go."""
        self.studio.database.set_read_only(True)
        work = works[0]
        self.assertEqual(work.artist.ask("GET", f"{work.address}/arrangement")["version"], work.version)
        refused = work.artist.answer("PATCH", work.address, {"name": "another"})
        self.assertEqual(refused[0], 503)
        self.assertIn(b"The database takes nothing in right now. Nothing was changed", refused[1])
        time.sleep(3)
        self.studio.database.set_read_only(False)
        return self._goes_on(works, going, "after the database took nothing in")

    def _while_one_disk_is_full(self, works: list[_Work], going: list[Going]) -> None:
        """Its work is left to the other machine, and none fails."""
        filled = self.studio.fill("worker 2")
        time.sleep(6)
        # How many are asked for depends on the machine; what counts is that they go on, and that none fails.
        before = self._done(works)
        wait_until(lambda: self._done(works) >= before + 3, 180, "hand-overs beside a full disk")
        filled.unlink()
        self._goes_on(works, going, "after a disk was full")

    def _goes_on(self, works: list[_Work], going: list[Going], when: str) -> float:
        """Wait until everybody gets on with their work; answers how long that took."""
        before = [len(work.names) for work in works]

        def does() -> bool:
            for one in going:
                one.require_well()
            return all(len(work.names) > was + 1 for work, was in zip(works, before, strict=True))

        return wait_until(does, 120, f"going on {when}")

    def _done(self, works: list[_Work]) -> int:
        """How many hand-overs are done; none has failed."""
        return sum(state == "done" for work in works for state in self._states(work))

    def _are_done(self, work: _Work) -> bool:
        return set(self._states(work)) == {"done"}

    def _states(self, work: _Work) -> list[str]:
        made = work.artist.ask("GET", f"{work.address}/hand-overs")
        bad = [one["job"] for one in made if one["job"]["state"] in ("failed", "cancelled")]
        assert not bad, bad
        return [one["job"]["state"] for one in made]
