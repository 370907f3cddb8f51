"""The front server lets files through where the application takes them and nowhere else, ends https, and tells rightly who asks."""

import http.client
import importlib
import json
import os
import re
import socket
import socketserver
import ssl
import subprocess
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler
from pathlib import Path
from typing import Any, ClassVar
from unittest import mock

from django.conf import settings
from django.test import SimpleTestCase
from django.urls import URLPattern, URLResolver, get_resolver
from rest_framework.parsers import MultiPartParser


def addresses(patterns: list[Any], before: str = "") -> list[tuple[str, Any]]:
    """Each address with numbers filled in, and its view."""
    found = []
    for one in patterns:
        path = before + re.sub(r"<int:\w+>", "7", str(one.pattern))
        if isinstance(one, URLResolver):
            found += addresses(one.url_patterns, path)
        elif isinstance(one, URLPattern):
            found.append((path, getattr(one.callback, "view_class", None)))
    return found


_FILE = "ab/" + "ab" * 32
_OF_A_FILE = {
    "Content-Type": "image/png",
    "Content-Disposition": 'attachment; filename="lamp.png"',
    "Content-Security-Policy": "sandbox; default-src 'none'",
    "X-Frame-Options": "DENY",
    "Cache-Control": "private, max-age=31536000, immutable",
}


class _Told(BaseHTTPRequestHandler):
    """Stands for the application: answers what it is told of a request."""

    def do_GET(self) -> None:
        if self.path == "/api/original":
            self.send_response(200)
            for name, value in _OF_A_FILE.items():
                self.send_header(name, value)
            self.send_header("X-Accel-Redirect", f"/kept/{_FILE}")
            self.send_header("Content-Length", "0")
            self.end_headers()
            return
        if self.path.startswith("/api/in-store"):
            self.send_response(200)
            for name, value in _OF_A_FILE.items():
                self.send_header(name, value)
            is_signed = "no" if self.path.endswith("refused") else "yes"
            self.send_header("X-Accel-Redirect", f"/store/art/{_FILE}?signed={is_signed}")
            self.send_header("Content-Length", "0")
            self.end_headers()
            return
        told = {
            name: self.headers.get(name) for name in ("X-Forwarded-For", "X-Forwarded-Proto", "X-Sends-Files", "Host")
        }
        data = json.dumps(told).encode()
        self.send_response(200)
        self.send_header("Content-Length", str(len(data)))
        self.end_headers()
        self.wfile.write(data)

    do_HEAD = do_GET

    def address_string(self) -> str:
        return "a socket"

    def log_message(self, *_: object) -> None:
        pass


class _Store(BaseHTTPRequestHandler):
    """Stands for a store of files: gives what is signed, and says things of it that are not to be passed on."""

    asked: ClassVar[list[Any]] = []

    def do_GET(self) -> None:
        self.asked.append(self.headers)
        data = b"a lamp over the reeds"
        if self.path != f"/art/{_FILE}?signed=yes":
            self.send_response(403)
            self.send_header("Content-Length", "0")
            self.end_headers()
            return
        is_part = self.headers["Range"] == "bytes=2-5"
        self.send_response(206 if is_part else 200)
        if is_part:
            data = data[2:6]
            self.send_header("Content-Range", "bytes 2-5/21")
        for name, value in {
            "Content-Type": "image/png",
            "Content-Length": str(len(data)),
            "Cache-Control": "public",
            "Set-Cookie": "sessionid=theirs",
            "Content-Disposition": "inline",
            "X-Accel-Redirect": "/kept/else",
        }.items():
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(data)

    def log_message(self, *_: object) -> None:
        pass


def _free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class FrontTests(SimpleTestCase):
    @contextmanager
    def front(self, **environment: str) -> Iterator[int]:
        """The front server before a stand-in for the application; gives its port."""
        with tempfile.TemporaryDirectory() as name, mock.patch.dict(os.environ, environment):
            folder, port = Path(name), _free_port()
            self.folder = folder
            with mock.patch.object(sys, "path", [str(settings.ROOT / "ops"), *sys.path]):
                command = importlib.import_module("front").front(folder, folder, "127.0.0.1", port)
            with socketserver.ThreadingUnixStreamServer(str(folder / "web.sock"), _Told) as application:
                application.daemon_threads = True
                threading.Thread(target=application.serve_forever, daemon=True).start()
                server = subprocess.Popen(command)
                try:
                    for _ in range(100):
                        with socket.socket() as probe:
                            if probe.connect_ex(("127.0.0.1", port)) == 0:
                                break
                        time.sleep(0.05)
                    yield port
                finally:
                    server.terminate()
                    server.wait(10)
                    application.shutdown()

    def asked(self, connection: http.client.HTTPConnection, **headers: str) -> tuple[int, Any]:
        """What the application is told of a request, and with which status that is answered."""
        sent = {"Cookie": "sessionid=x", **{name.replace("_", "-"): value for name, value in headers.items()}}
        connection.request("GET", "/api/projects", headers=sent)
        answer = connection.getresponse()
        data = answer.read()
        return answer.status, json.loads(data) if answer.status == 200 else answer.headers.get("Location")

    def test_it_sends_kept_files_itself_with_what_the_application_says_of_them(self) -> None:
        with self.front() as port:
            kept = self.folder / "blobs" / _FILE
            kept.parent.mkdir(parents=True)
            kept.write_bytes(b"a lamp over the reeds")
            connection = http.client.HTTPConnection("127.0.0.1", port)
            for asked, status, data in (({}, 200, b"a lamp over the reeds"), ({"Range": "bytes=2-5"}, 206, b"lamp")):
                connection.request("GET", "/api/original", headers={"Cookie": "sessionid=x", **asked})
                answer = connection.getresponse()
                self.assertEqual((answer.status, answer.read()), (status, data))
                self.assertEqual({name: answer.headers[name] for name in _OF_A_FILE}, _OF_A_FILE)
                self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")
            for path in (f"/kept/{_FILE}", "/kept/../secrets.json", "/api/..%2fkept/" + _FILE):
                connection.request("GET", path, headers={"Cookie": "sessionid=x"})
                answer = connection.getresponse()
                self.assertNotIn(b"a lamp", answer.read(), path)
            # Whoever says it from outside is not the one who says it.
            self.assertEqual(self.asked(connection, X_Sends_Files="no")[1]["X-Sends-Files"], "yes")

    def test_it_takes_files_from_a_store_with_what_the_application_says_of_them(self) -> None:
        with (
            socketserver.ThreadingTCPServer(("127.0.0.1", 0), _Store) as store,
            self.front(YUPLET_STORE_ADDRESS=f"http://127.0.0.1:{store.server_address[1]}") as port,
        ):
            store.daemon_threads = True
            threading.Thread(target=store.serve_forever, daemon=True).start()
            self.addCleanup(store.shutdown)
            connection = http.client.HTTPConnection("127.0.0.1", port)
            for method, asked, status, data in (
                ("GET", {}, 200, b"a lamp over the reeds"),
                ("GET", {"Range": "bytes=2-5"}, 206, b"lamp"),
                ("HEAD", {}, 200, b""),
            ):
                connection.request(method, "/api/in-store", headers={"Cookie": "sessionid=x", **asked})
                answer = connection.getresponse()
                self.assertEqual((answer.status, answer.read()), (status, data))
                said = {name: answer.headers.get_all(name) for name in _OF_A_FILE}
                self.assertEqual(said, {name: [text] for name, text in _OF_A_FILE.items()})
                self.assertEqual(answer.headers["X-Content-Type-Options"], "nosniff")
                self.assertIsNone(answer.headers["Set-Cookie"])
            # The store is asked as the signature says, and learns nothing of who asks.
            asked = _Store.asked[-1]
            self.assertEqual(asked["Host"], f"127.0.0.1:{store.server_address[1]}")
            self.assertIsNone(asked["Cookie"])
            # Refused by the store, and asked from outside.
            for path in ("/api/in-store/refused", f"/store/art/{_FILE}?signed=yes"):
                connection.request("GET", path, headers={"Cookie": "sessionid=x"})
                answer = connection.getresponse()
                self.assertEqual((answer.status, json.loads(answer.read())["code"]), (503, "store-away"), path)

    def test_it_ends_https(self) -> None:
        with tempfile.TemporaryDirectory() as name:
            certificate, key = Path(name) / "own.pem", Path(name) / "own.key"
            subprocess.run(
                ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-keyout", key, "-out", certificate, "-days", "2",
                 "-subj", "/CN=studio.example", "-addext", "subjectAltName=DNS:studio.example,IP:127.0.0.1"],
                check=True, capture_output=True,
            )  # fmt: skip
            known = ssl.create_default_context(cafile=str(certificate))
            own = {"YUPLET_CERTIFICATE": str(certificate), "YUPLET_CERTIFICATE_KEY": str(key)}
            with self.front(YUPLET_ADDRESSES="https://studio.example", **own) as port:
                status, told = self.asked(
                    http.client.HTTPSConnection("127.0.0.1", port, context=known), Host="studio.example"
                )
                self.assertEqual((status, told["X-Forwarded-Proto"], told["Host"]), (200, "https", "studio.example"))
                status, to = self.asked(http.client.HTTPConnection("127.0.0.1", port), Host="studio.example")
                self.assertEqual((status, to), (301, "https://studio.example/api/projects"))

    def test_only_a_machine_that_is_named_is_believed(self) -> None:
        lies = {"X_Forwarded_For": "203.0.113.9", "X_Forwarded_Proto": "https"}
        with self.front() as port:
            _, told = self.asked(http.client.HTTPConnection("127.0.0.1", port), **lies)
            self.assertEqual((told["X-Forwarded-For"], told["X-Forwarded-Proto"]), ("127.0.0.1", "http"))
        with self.front(YUPLET_FRONT_MACHINES="10.0.0.5") as port:
            _, told = self.asked(http.client.HTTPConnection("127.0.0.1", port), **lies)
            self.assertEqual((told["X-Forwarded-For"], told["X-Forwarded-Proto"]), ("127.0.0.1", "http"))
        with self.front(YUPLET_FRONT_MACHINES="10.0.0.5, 127.0.0.1") as port:
            _, told = self.asked(http.client.HTTPConnection("127.0.0.1", port), **lies)
            self.assertEqual((told["X-Forwarded-For"], told["X-Forwarded-Proto"]), ("203.0.113.9", "https"))

    def test_every_address_that_takes_files_is_one_of_the_front_servers(self) -> None:
        with mock.patch.object(sys, "path", [str(settings.ROOT / "ops"), *sys.path]):
            front = importlib.import_module("front")
        takes = {
            "/" + path
            for path, view in addresses(get_resolver().url_patterns)
            if MultiPartParser in getattr(view, "parser_classes", ()) and hasattr(view, "post")
        }
        self.assertGreater(len(takes), 5)
        # Whole projects may be larger, and have a location of their own.
        takes.remove("/api/projects/move-in")
        for path in takes:
            self.assertRegex(path, front.UPLOADS)
        for path in ("/api/illustrations/7/steps", "/api/rehearsals/7", "/api/illustrations/7/rehearsals"):
            self.assertNotRegex(path, front.UPLOADS)
