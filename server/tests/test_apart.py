"""Heavy and hostile work in processes of its own: limits, stopping, and a list of hostile files that all get an answer."""

import importlib.util
import io
import multiprocessing
import os
import resource
import signal
import socket
import subprocess
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from types import ModuleType
from typing import Any
from unittest import mock

import numpy as np
from django.conf import settings
from django.db import connection
from django.test import Client, RequestFactory, SimpleTestCase, TransactionTestCase, override_settings

from tests.cases import brought_in, kept, make_project
from tests.test_jobs import wait_until
from yuplet.errors import Cancelled, NameNotUsable, YupletError
from yuplet.pixels.spill_file import SpillFile
from yuplet.reading.files import read_illustration
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs import apart
from yuplet_server.jobs.apart import Apart, Limits, TookTooMuch
from yuplet_server.jobs.asked import KnowsWhoAsks
from yuplet_server.jobs.models import Job

GIB = 2**30
SOME = Limits(seconds=12, cpu=24, memory=1.5 * GIB)


def hostile() -> ModuleType:
    path = Path(settings.ROOT) / "core" / "tests" / "hostile.py"
    spec = importlib.util.spec_from_file_location("hostile", path)
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


# What the other process does; it finds them here by their names.


def double(number: int) -> int:
    return 2 * number


def pid() -> int:
    return os.getpid()


def take_memory(gibibytes: int) -> None:
    np.ones(gibibytes * GIB, np.uint8)


def compute() -> None:
    while True:
        pass


def crash(number: int) -> None:
    os.kill(os.getpid(), number)


def refuse() -> None:
    raise NameNotUsable("a:b", "holds a colon", "a-b")


def fail() -> None:
    raise ZeroDivisionError("inside")


def tell(told: Any) -> str:
    for number in range(5):
        told("read", number, 5)
        time.sleep(0.1)
    return "done"


def compute_and_tell(told: Any) -> None:
    told("read", 0, 1)
    compute()


def read(path: Path) -> tuple[str, float]:
    """What reading a file comes to, and how much memory the process had at the most, in GiB."""
    try:
        with SpillFile(str(path.parent)) as scratch:
            read_illustration(path, scratch)
        said = "read"
    except YupletError as error:
        said = str(error)
    return said, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 2**20


def allow_children() -> None:
    """Processes that run tests beside each other may have none of their own, unless they are told so."""
    multiprocessing.current_process()._config["daemon"] = False  # type: ignore[attr-defined]


class ApartTests(SimpleTestCase):
    def setUp(self) -> None:
        allow_children()

    def refused(self, words: str, function: Any, *arguments: Any, limits: Limits = SOME) -> None:
        began = time.monotonic()
        with Apart(limits) as process, self.assertRaisesRegex(TookTooMuch, words) as caught:
            process.call(function, *arguments)
        self.assertIn("Nothing was changed", str(caught.exception))
        self.assertLess(time.monotonic() - began, 20)

    def test_answers_and_errors_come_as_they_are(self) -> None:
        with Apart(SOME) as process:
            self.assertEqual(process.call(double, 21), 42)
            with self.assertRaises(NameNotUsable) as caught:
                process.call(refuse)
            self.assertEqual((caught.exception.proposal, caught.exception.code), ("a-b", "name-not-usable"))
            with self.assertRaisesRegex(ZeroDivisionError, "inside"):
                process.call(fail)
            self.assertEqual(process.call(double, 1), 2, "it goes on after an error")
            said: list[Any] = []
            self.assertEqual(process.call(tell, report=lambda *one: said.append(one)), "done")
            self.assertIn(("read", 0, 5), said)

    def test_a_process_that_is_gone_is_not_asked(self) -> None:
        with override_settings(APART=True, QUESTION_LIMITS={"seconds": 20.0, "cpu": 20.0, "memory": GIB}):
            pool = apart._Pool()
            self.addCleanup(pool.end)
            number = pool.ask("x", pid)
            self.assertEqual(pool.ask("x", pid), number, "it stays for the next question")
            os.kill(number, signal.SIGKILL)
            wait_until(lambda: not pool._free[0][1].is_there, 5)
            self.assertNotEqual(pool.ask("x", pid), number)

    def test_a_long_question_ends_when_nobody_waits_for_it(self) -> None:
        """As when a page is closed: the connection of the request is."""
        apart.warm()
        with override_settings(APART=True, QUESTION_LIMITS={"seconds": 60.0, "cpu": 60.0, "memory": GIB}):
            pool = apart._Pool()
            self.addCleanup(pool.end)
            ours, theirs = socket.socketpair()
            self.addCleanup(ours.close)
            request = RequestFactory().get("/", **{"gunicorn.socket": ours})
            with ThreadPoolExecutor(1) as thread:
                answered = thread.submit(KnowsWhoAsks(lambda _: pool.ask("x", compute)), request)
                time.sleep(2)
                self.assertFalse(answered.done(), "somebody waits")
                began = time.monotonic()
                theirs.close()
                self.assertRaises(Cancelled, answered.result)
            self.assertLess(time.monotonic() - began, 20, "it would compute for a minute")
            self.assertEqual(pool._free, [], "its process has ended")
            with ThreadPoolExecutor(1) as thread:
                answered = thread.submit(KnowsWhoAsks(lambda _: pool.ask("x", double, 4)), request)
                self.assertEqual(answered.result(), 8, "a short one is answered all the same, and its process stays")
            self.assertEqual(len(pool._free), 1)

    def test_limits(self) -> None:
        self.refused("more memory than the 1.5 GiB", take_memory, 3)
        self.refused("more than 1 seconds of computing", compute, limits=Limits(30, 1, GIB))
        self.refused("more than 1 seconds and", compute, limits=Limits(1, 30, GIB))
        self.refused("ended before it was finished", crash, signal.SIGSEGV)

    def test_work_is_stopped_at_once_whatever_it_does(self) -> None:
        number = 0

        def told(*said: Any) -> None:
            nonlocal number
            if said:
                number = process._process.pid
            elif number:
                raise Cancelled

        process = Apart(SOME)
        began = time.monotonic()
        with process, self.assertRaises(Cancelled):
            process.call(compute_and_tell, report=told)
        self.assertLess(time.monotonic() - began, 15)
        self.assertFalse(Path(f"/proc/{number}").exists())

    def test_it_starts_without_paying_for_starting_up(self) -> None:
        with Apart(SOME) as process:
            process.call(double, 1)
        began = time.monotonic()
        with Apart(SOME) as process:
            process.call(double, 1)
        self.assertLess(time.monotonic() - began, 2, "importing the core alone takes longer")

    def test_whoever_is_killed_takes_it_along(self) -> None:
        code = (
            "import os, sys, time, django; django.setup()\n"
            "from yuplet_server.jobs import apart\n"
            "from tests.test_apart import SOME, pid, compute\n"
            "process = apart.Apart(SOME); print(process.call(pid), flush=True); process.call(compute)"
        )
        environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "yuplet_server.project.settings"}
        parent = subprocess.Popen(
            [sys.executable, "-c", code], cwd=Path(settings.ROOT) / "server", env=environment, stdout=subprocess.PIPE, text=True
        )  # fmt: skip
        assert parent.stdout is not None
        child = Path("/proc", parent.stdout.readline().strip())
        self.assertTrue(child.exists())
        parent.kill()
        parent.communicate()
        wait_until(lambda: not child.exists() or "zombie" in (child / "status").read_text(), 5)

    def test_every_hostile_file_gets_an_answer(self) -> None:
        """A list of bombs, loops, deep nestings and lies, each in the real process: answered within 20 s and 1.5 GB."""
        module = hostile()
        with tempfile.TemporaryDirectory() as folder:

            def look(name: str) -> tuple[str, str, float, float]:
                began = time.monotonic()
                try:
                    with Apart(SOME) as process:
                        said, memory = process.call(read, module.write(Path(folder), name))
                except TookTooMuch as error:
                    said, memory = str(error), 0.0
                return name, said, time.monotonic() - began, memory

            with ThreadPoolExecutor(2) as pool:
                outcomes = list(pool.map(look, module.FILES))
        for name, said, seconds, memory in outcomes:
            if os.environ.get("YUPLET_TELL"):
                print(f"{seconds:6.1f} s {memory:5.2f} GiB  {name}: {said[:90]}")
            with self.subTest(name):
                self.assertLess(seconds, 25)  # with what it takes to make the file
                self.assertLess(memory, 1.9)  # with what a warm process has
                self.assertTrue(said == "read" or said.endswith("."), said)
                self.assertNotIn("Traceback", said)


class RealProcessTests(TransactionTestCase):
    """Questions of the page and jobs of the worker, in other processes on this test's database."""

    def setUp(self) -> None:
        allow_children()
        self.project, self.users = make_project()
        here = {"YUPLET_DATABASE_NAME": connection.settings_dict["NAME"], "YUPLET_APART": "1"}
        self.enterContext(mock.patch.dict(os.environ, here))
        self.enterContext(override_settings(APART=True))
        # Those that other tests have started know another database.
        apart.end()
        self.addCleanup(apart.end)

    def worker(self) -> "subprocess.Popen[bytes]":
        command = [sys.executable, str(Path(settings.ROOT) / "server/manage.py"), "worker"]
        process = subprocess.Popen(command, env={**os.environ, "YUPLET_WORKERS": "2"}, start_new_session=True)
        self.addCleanup(lambda: (process.kill(), process.wait()))
        return process

    def test_a_job_that_never_ends_is_cancelled_at_once_and_holds_up_nobody(self) -> None:
        text = hostile().FILES["svg of a long path.svg"]() * 1
        slow = kept(self.project, "slow.svg", text.replace("L9 9 1999 3", "L9 9 1999 3" * 10, 1).encode())
        worker = self.worker()
        row = Job.objects.filter(pk=slow.revision.job_id)
        wait_until(lambda: row.get().state == Job.State.RUNNING, 60)
        quick = kept(self.project)
        wait_until(lambda: Job.objects.get(pk=quick.revision.job_id).state == Job.State.DONE, 60)
        self.assertEqual(row.get().state, Job.State.RUNNING)
        jobs.cancel(row.get())
        self.assertLess(wait_until(lambda: row.get().state == Job.State.CANCELLED, 10), 5)
        with self.subTest("told to stop, the worker ends its work at once and puts it back"):
            again = kept(self.project, "slow again.svg", text.encode())
            row = Job.objects.filter(pk=again.revision.job_id)
            wait_until(lambda: row.get().state == Job.State.RUNNING, 30)
            began = time.monotonic()
            worker.send_signal(signal.SIGTERM)
            worker.wait(15)
            self.assertLess(time.monotonic() - began, 8)
            self.assertEqual((row.get().state, row.get().attempts), (Job.State.WAITING, 0))

    def test_a_question_of_the_page_is_answered_in_another_process(self) -> None:
        illustration = brought_in(self.project)
        client = Client()
        client.force_login(self.users["ada"])
        address = f"/api/illustrations/{illustration.pk}"
        row = next(row["id"] for row in client.get(f"{address}/arrangement").json()["rows"] if row["name"] == "sky")
        with mock.patch("yuplet.editing.art.propose", side_effect=AssertionError("it was done here")):
            answer = client.post(f"{address}/proposals", {"row": row}, content_type="application/json")
        self.assertEqual(answer.status_code, 200, answer.content)
        self.assertGreater(answer.json()["count"], 0)
        plan = client.post(f"{address}/plan", {}, content_type="application/json").json()
        image = client.post(
            f"{address}/plan/image", {"file": plan["files"][2]["file"]}, content_type="application/json"
        )
        self.assertTrue(image.content.startswith(b"\x89PNG"))
        with (
            self.subTest("pictures that become parts, and packages, are read there too"),
            mock.patch(
                "yuplet_server.illustrations.layers.read_illustration", side_effect=AssertionError("it was done here")
            ),
            mock.patch("yuplet.reading.package._said", side_effect=AssertionError("it was done here")),
        ):
            file = io.BytesIO(image.content)
            file.name = "moon.png"
            added = client.post(f"{address}/pictures", {"version": 1, "file": file})
            self.assertEqual(added.status_code, 200, added.content)
            file = io.BytesIO(image.content)
            file.name = "moon.png"
            brought = client.post(f"/api/projects/{self.project.pk}/illustrations", {"file": file})
            self.assertEqual(brought.status_code, 201, brought.content)
        refused = client.post(f"{address}/proposals", {"row": "nothing"}, content_type="application/json")
        self.assertEqual((refused.status_code, refused.json()["code"]), (422, "no-such-row"))
        with override_settings(QUESTION_LIMITS={"seconds": 0.0, "cpu": 9.0, "memory": GIB}):
            apart.end()
            late = client.post(f"{address}/proposals", {"row": row}, content_type="application/json")
        self.assertEqual((late.status_code, late.json()["code"]), (422, "took-too-much"))
