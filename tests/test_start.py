"""`./start` itself: from an empty folder to a running product, stopped cleanly, started again, and with its database killed."""

import http.client
import io
import json
import os
import re
import signal
import socket
import subprocess
import tempfile
import time
import urllib.request
import zipfile
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

from django.test import SimpleTestCase

ROOT = Path(__file__).resolve().parent.parent


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Visitor:
    """A session of the API over HTTP, as a script of an artist would hold it."""

    def __init__(self, address: str) -> None:
        self._address = address
        self._cookies = CookieJar()
        self._opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self._cookies))

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        token = next((cookie.value for cookie in self._cookies if cookie.name == "csrftoken"), "") or ""
        headers = {"Content-Type": "application/json", "X-CSRFToken": token}
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(self._address + path, data, headers, method=method)
        with self._opener.open(request, timeout=30) as answer:
            text = answer.read()
        return json.loads(text) if text.startswith((b"{", b"[")) else text


class StartTests(SimpleTestCase):
    def setUp(self) -> None:
        holder = tempfile.TemporaryDirectory()
        self.addCleanup(holder.cleanup)
        self.var = Path(holder.name)
        self.port = free_port()

    def start(self, *arguments: str) -> "subprocess.Popen[str]":
        environment = {key: value for key, value in os.environ.items() if not key.startswith(("YUPLET_", "DJANGO_"))}
        process = subprocess.Popen(
            [str(ROOT / "start"), f"--port={self.port}", *arguments],
            env={**environment, "YUPLET_VAR": str(self.var)},
            stdout=subprocess.PIPE,
            stderr=subprocess.STDOUT,
            text=True,
            start_new_session=True,
        )
        self.addCleanup(self.end, process)
        return process

    def end(self, process: "subprocess.Popen[str]") -> str:
        """Ctrl-C; answers what was printed until the end."""
        if process.poll() is None:
            process.send_signal(signal.SIGINT)
        try:
            return process.communicate(timeout=60)[0]
        except ValueError:
            return ""

    def wait_until_ready(self, process: "subprocess.Popen[str]") -> str:
        assert process.stdout is not None
        printed = ""
        while "Ctrl-C stops it" not in printed:
            line = process.stdout.readline()
            if not line:
                self.fail(f"it ended before it was ready:\n{printed}")
            printed += line
        return printed

    def processes(self) -> list[str]:
        """Processes of this installation that are still there."""
        found = []
        for path in Path("/proc").glob("[0-9]*"):
            try:
                environment = (path / "environ").read_bytes() + (path / "cmdline").read_bytes()
            except OSError:
                continue
            if str(self.var).encode() in environment:
                found.append((path / "cmdline").read_bytes().replace(b"\0", b" ").decode())
        return found

    def test_the_whole_life(self) -> None:
        process = self.start()
        printed = self.wait_until_ready(process)
        self.assertIn(f"http://127.0.0.1:{self.port}/", printed)
        password = (re.search(r"Password:\s+(\S+)", printed) or [""])[1]

        with self.subTest("the demo is there and can be handed over while the database is killed"):
            visitor = Visitor(f"http://127.0.0.1:{self.port}")
            visitor.ask("GET", "/api/session")
            visitor.ask("POST", "/api/session", {"username": "demo", "password": password})
            (project,) = visitor.ask("GET", "/api/projects")
            listed = visitor.ask("GET", f"/api/projects/{project['id']}/illustrations")
            self.assertEqual((project["name"], len(listed)), ("Marsh Line", 6))
            self.assertEqual({one["state"] for one in listed}, {"ready"})
            (brindle,) = (one for one in listed if one["name"] == "Brindle")
            version = visitor.ask("GET", f"/api/illustrations/{brindle['id']}/arrangement")["version"]
            asked = visitor.ask("POST", f"/api/illustrations/{brindle['id']}/hand-overs", {"version": version})
            self.kill_the_database()
            job = self.wait_for_the_end(visitor, asked["job"]["id"])
            self.assertEqual((job["state"], job["error"]), ("done", ""))
            # The demo's own came first.
            made, _ = visitor.ask("GET", f"/api/illustrations/{brindle['id']}/hand-overs")
            self.assertEqual((made["report"]["proof"]["ok"], made["report"]["parts"]), (True, 53))
            package = visitor.ask("GET", f"/api/hand-overs/{made['id']}/package")
            with zipfile.ZipFile(io.BytesIO(package)) as archive:
                self.assertEqual(sum(entry.file_size for entry in archive.infolist()), made["package_bytes"])

        with self.subTest("a second start on the same port or folder says what to do"):
            second = self.start()
            self.assertIn(
                f"Port {self.port} is in use. End what listens there, or choose another", second.communicate()[0]
            )
            self.assertEqual(second.returncode, 2)
            third = self.start(f"--port={free_port()}")
            self.assertIn("running from this folder already", third.communicate()[0])

        with self.subTest("Ctrl-C stops all of it"):
            self.end(process)
            self.assertEqual(process.returncode, 0)
            self.assertEqual(self.processes(), [])

        with self.subTest("started again it is quick and has lost nothing"):
            began = time.monotonic()
            again = self.start()
            printed = self.wait_until_ready(again)
            self.assertNotIn("Bringing in", printed)
            self.assertIn(password, printed)
            self.assertLess(time.monotonic() - began, 60)
            visitor = Visitor(f"http://127.0.0.1:{self.port}")
            visitor.ask("GET", "/api/session")
            visitor.ask("POST", "/api/session", {"username": "demo", "password": password})
            self.assertEqual(len(visitor.ask("GET", f"/api/illustrations/{brindle['id']}/hand-overs")), 2)
            self.end(again)

    def test_a_folder_that_cannot_be_written(self) -> None:
        process = self.start()
        self.end(process)
        bad = subprocess.run(
            [str(ROOT / "start"), f"--port={self.port}"],
            env={**os.environ, "YUPLET_VAR": "/proc/nowhere"},
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        self.assertEqual(bad.returncode, 2)
        self.assertRegex(bad.stderr, r"/proc/nowhere.*\.")
        self.assertNotIn("Traceback", bad.stderr)

    def kill_the_database(self) -> None:
        for path in Path("/proc").glob("[0-9]*"):
            try:
                command = (path / "cmdline").read_bytes()
            except OSError:
                continue
            if b"mariadbd" in command and str(self.var).encode() in command:
                os.kill(int(path.name), signal.SIGKILL)
                return
        self.fail("there is no database to kill")

    def wait_for_the_end(self, visitor: Visitor, job: int) -> dict[str, Any]:
        deadline = time.monotonic() + 90
        while time.monotonic() < deadline:
            try:
                found = visitor.ask("GET", f"/api/jobs/{job}")
                if found["state"] not in ("waiting", "running"):
                    return dict(found)
            except (OSError, http.client.HTTPException) as error:
                # While the database is away, the server says so with a sentence of its own.
                self.assertEqual(getattr(error, "code", 503), 503, error)
            time.sleep(0.3)
        raise AssertionError("the job did not end within 90 s")
