"""`./start` itself: from an empty folder to a running product, stopped cleanly, started again, and with its database killed."""

import gzip
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
import urllib.error
import urllib.request
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from http.cookiejar import CookieJar
from pathlib import Path
from typing import Any

from django.test import SimpleTestCase

from tests import attacks

ROOT = Path(__file__).resolve().parent.parent


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class Visitor:
    """A session of the API over HTTP, as a script of an artist would hold it."""

    def __init__(self, address: str) -> None:
        self._address = address
        self.cookies = CookieJar()
        self._opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.cookies))

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        token = next((cookie.value for cookie in self.cookies if cookie.name == "csrftoken"), "") or ""
        headers = {"Content-Type": "application/json", "X-CSRFToken": token}
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(self._address + path, data, headers, method=method)
        with self._opener.open(request, timeout=30) as answer:
            text = answer.read()
        return json.loads(text) if text.startswith((b"{", b"[")) else text

    @contextmanager
    def listening(self, path: str) -> Iterator[Iterator[dict[str, Any]]]:
        """What is told at an address as it happens."""
        with self._opener.open(self._address + path, timeout=30) as answer:
            yield (json.loads(line.removeprefix(b"data: ")) for line in answer if line.startswith(b"data: "))


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
            # All six are loaded by server/tests/test_commands.py.
            env={**environment, "YUPLET_VAR": str(self.var), "YUPLET_DEMO": "Brindle"},
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

    def got(self, path: str) -> http.client.HTTPResponse:
        """An answer as a browser asks for it."""
        request = urllib.request.Request(f"http://127.0.0.1:{self.port}{path}", headers={"Accept-Encoding": "gzip"})
        answer: http.client.HTTPResponse = urllib.request.urlopen(request, timeout=30)
        return answer

    def processes(self) -> list[str]:
        """Processes of this installation that are still there."""
        return [command for _, command in self.listed()]

    def listed(self) -> list[tuple[int, str]]:
        """The same with their numbers."""
        found = []
        for path in Path("/proc").glob("[0-9]*"):
            try:
                environment = (path / "environ").read_bytes() + (path / "cmdline").read_bytes()
            except OSError:
                continue
            if str(self.var).encode() in environment:
                found.append((int(path.name), (path / "cmdline").read_bytes().replace(b"\0", b" ").decode()))
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
            self.assertEqual((project["name"], len(listed)), ("Marsh Line", 1))
            self.assertEqual({one["state"] for one in listed}, {"ready"})
            (brindle,) = (one for one in listed if one["name"] == "Brindle")
            version = visitor.ask("GET", f"/api/illustrations/{brindle['id']}/arrangement")["version"]
            asked = visitor.ask("POST", f"/api/illustrations/{brindle['id']}/hand-overs", {"version": version})
            self.kill("mariadbd")
            job = self.wait_for_the_end(visitor, asked["job"]["id"])
            self.assertEqual((job["state"], job["error"]), ("done", ""))
            # The demo's own came first.
            made, _ = visitor.ask("GET", f"/api/illustrations/{brindle['id']}/hand-overs")
            self.assertEqual((made["report"]["proof"]["ok"], made["report"]["parts"]), (True, 53))
            package = visitor.ask("GET", f"/api/hand-overs/{made['id']}/package")
            with zipfile.ZipFile(io.BytesIO(package)) as archive:
                self.assertEqual(sum(entry.file_size for entry in archive.infolist()), made["package_bytes"])

        with self.subTest(
            "scripts and styles are sent compressed and once; the page that names them is asked for anew"
        ):
            page = visitor.ask("GET", "/").decode()
            named = re.findall(r'(?:src|href)="(/assets/[^"]+)"', page)
            self.assertEqual({name.rpartition(".")[2] for name in named}, {"js", "css"})
            for name in named:
                with self.got(name) as answer:
                    self.assertIn("immutable", answer.headers["Cache-Control"])
                    self.assertEqual(answer.headers["Content-Encoding"], "gzip")
                    self.assertIn("Accept-Encoding", answer.headers["Vary"])
                    self.assertEqual(gzip.decompress(answer.read()), (ROOT / "web/dist" / name[1:]).read_bytes())
            for name in ("/", "/icon.svg"):
                with self.got(name) as answer:
                    self.assertNotIn("immutable", answer.headers["Cache-Control"], name)

        with self.subTest("a step of somebody else is told within a second, and who is there"):
            path = f"/api/illustrations/{brindle['id']}"
            with visitor.listening(f"{path}/events") as stream:
                first = next(stream)
                self.assertEqual((first["arrangement"], first["here"]), (version, ["demo"]))
                row = visitor.ask("GET", f"{path}/arrangement")["rows"][0]["id"]
                waited = []
                for number in range(5):
                    began = time.monotonic()
                    command = {"do": "rename-rows", "names": {row: f"name {number}"}}
                    visitor.ask("POST", f"{path}/steps", {"version": version + number, "command": command})
                    self.assertEqual(next(stream)["arrangement"], version + number + 1)
                    waited.append(time.monotonic() - began)
                self.assertLess(sorted(waited)[2], 1.5, "the step and its being told")
                asked = visitor.ask("GET", f"{path}/arrangement")
                self.assertEqual(asked["version"], version + 5)

        with self.subTest("half-sent requests of nobody hold up nobody"), attacks.half_sent(self.port, 300):
            self.assertLess(max(attacks.answered(self.port) for _ in range(5)), 5)

        with self.subTest("slow uploads hold up nobody"):
            upload = f"/api/projects/{project['id']}/illustrations"
            cookies = "; ".join(f"{one.name}={one.value}" for one in visitor.cookies)
            token = next(one.value for one in visitor.cookies if one.name == "csrftoken")
            with attacks.slow_uploads(self.port, upload, cookies, str(token), 40):
                self.assertLess(max(attacks.answered(self.port) for _ in range(5)), 5)
                self.assertEqual(len(visitor.ask("GET", "/api/projects")), 1)

        with self.subTest("nothing is kept of an upload of nobody, and it is refused before it is read"):
            head = f"POST {upload} HTTP/1.1\nHost: 127.0.0.1\nContent-Type: multipart/form-data; boundary=x\nContent-Length: {1 << 30}"
            began, before = time.monotonic(), attacks.bytes_in(self.var)
            status, text = attacks.first_line(self.port, head, b"x" * (3 << 20))
            self.assertIn("403", status)
            self.assertIn("Sign in first. Nothing was kept.", text)
            self.assertLess(time.monotonic() - began, 20)
            self.assertLess(attacks.bytes_in(self.var) - before, 1 << 20)

        with self.subTest("what is larger than the server takes is refused before it is read"):
            for path, extra, length in (
                ("/api/session", "", 20_000),
                ("/api/projects", f"\nCookie: {cookies}", 5 << 20),
                (upload, f"\nCookie: {cookies}", 3 << 30),
            ):
                head = f"POST {path} HTTP/1.1\nHost: 127.0.0.1\nContent-Type: application/json\nContent-Length: {length}{extra}"
                status, text = attacks.first_line(self.port, head)
                self.assertIn("413", status, path)
                self.assertIn("Nothing was kept", text)

        with self.subTest("a web server that is killed leaves nobody who holds its place"):
            self.kill("gunicorn")
            # Those that it left go on for a moment; then others are there.
            time.sleep(4)
            deadline = time.monotonic() + 120
            said = ""
            while time.monotonic() < deadline:
                said = ""
                try:
                    self.assertEqual(len(visitor.ask("GET", "/api/projects")), 1)
                    break
                except urllib.error.HTTPError as error:
                    said = f"{error.code} {error.read()[:300]!r}"
                except (OSError, http.client.HTTPException) as error:
                    said = repr(error)
                if said.startswith("5") and not said.startswith("503"):
                    break
                time.sleep(0.3)
            self.assertEqual(said, "", "until it is there again, it says that it is starting")

        with self.subTest("a second start on the same port or folder says what to do"):
            second = self.start()
            self.assertIn(
                f"Port {self.port} is in use. End what listens there, or choose another", second.communicate()[0]
            )
            self.assertEqual(second.returncode, 2)
            third = self.start(f"--port={free_port()}")
            self.assertIn("running from this folder already", third.communicate()[0])

        with self.subTest("killed, it takes all of it along"):
            (main,) = (pid for pid, command in self.listed() if "serve.py" in command)
            os.kill(main, signal.SIGKILL)
            deadline = time.monotonic() + 90
            while self.processes() and time.monotonic() < deadline:
                time.sleep(0.2)
            self.assertEqual(self.processes(), [])
            process.communicate()

        with self.subTest("started again it installs nothing and has lost nothing"):
            again = self.start()
            printed = self.wait_until_ready(again)
            self.assertNotIn("Bringing in", printed)
            self.assertIn(password, printed)
            visitor = Visitor(f"http://127.0.0.1:{self.port}")
            visitor.ask("GET", "/api/session")
            visitor.ask("POST", "/api/session", {"username": "demo", "password": password})
            self.assertEqual(len(visitor.ask("GET", f"/api/illustrations/{brindle['id']}/hand-overs")), 2)

        with self.subTest("Ctrl-C stops all of it"):
            self.end(again)
            self.assertEqual(again.returncode, 0)
            self.assertEqual(self.processes(), [])

    def test_a_port_or_a_root_that_cannot_be(self) -> None:
        for arguments, environment, words in (
            (["--port=99999"], {}, "'99999' is no port"),
            (["--port=x"], {}, "'x' is no port"),
            (
                [f"--port={self.port}"],
                {"YUPLET_ROOTS": "/srv/art"},
                "YUPLET_ROOTS is '/srv/art', and should be 'ada=/some/folder' for an account",
            ),
        ):
            bad = subprocess.run(
                [str(ROOT / "start"), *arguments],
                env={**os.environ, "YUPLET_VAR": str(self.var), **environment},
                capture_output=True, text=True, check=False,
            )  # fmt: skip
            self.assertEqual(bad.returncode, 2)
            self.assertIn(words, bad.stderr)
            self.assertNotIn("Traceback", bad.stderr)

    def test_a_folder_that_cannot_be_written(self) -> None:
        process = self.start()
        # As a terminal does it: to all of them, for the shell alone goes on once what it waits for is done.
        os.killpg(process.pid, signal.SIGINT)
        self.end(process)
        bad = subprocess.run(
            [str(ROOT / "start"), f"--port={self.port}"],
            env={**os.environ, "YUPLET_VAR": "/proc/nowhere"},
            capture_output=True, text=True, check=False,
        )  # fmt: skip
        self.assertEqual(bad.returncode, 2)
        self.assertRegex(bad.stderr, r"/proc/nowhere.*\.")
        self.assertNotIn("Traceback", bad.stderr)

    def kill(self, name: str) -> None:
        """Kill the first process of this installation whose command holds a name: the one that started the others."""
        found = sorted(pid for pid, command in self.listed() if name in command)
        self.assertTrue(found, f"there is no {name} to kill")
        os.kill(found[0], signal.SIGKILL)

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
