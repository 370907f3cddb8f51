"""What somebody does who wants a running Yuplet to stop: half-sent requests, slow and large uploads, bodies of nobody."""

import contextlib
import http.client
import socket
import threading
import time
from collections.abc import Iterator
from pathlib import Path


def answered(port: int, path: str = "/api/session", seconds: float = 9) -> float:
    """How long a plain request takes; raises `OSError` when there is no answer in time."""
    began = time.monotonic()
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=seconds)
    connection.request("GET", path)
    if connection.getresponse().status != 200:
        raise OSError("it is refused")
    connection.close()
    return time.monotonic() - began


def first_line(port: int, head: str, body: bytes = b"", seconds: float = 20) -> tuple[str, str]:
    """The status line and the whole answer to a request of which only so much is sent."""
    with socket.create_connection(("127.0.0.1", port), seconds) as connection:
        connection.sendall(head.replace("\n", "\r\n").encode() + b"\r\n\r\n" + body)
        text = b""
        with contextlib.suppress(OSError):
            while piece := connection.recv(65536):
                text += piece
    return text.split(b"\r\n", 1)[0].decode(), text.decode(errors="replace")


@contextlib.contextmanager
def half_sent(port: int, count: int) -> Iterator[None]:
    """So many connections that send a part of a header and then nothing."""
    held = []
    try:
        for _ in range(count):
            one = socket.create_connection(("127.0.0.1", port), 5)
            one.sendall(b"POST /api/session HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: ")
            held.append(one)
        yield
    finally:
        for one in held:
            one.close()


@contextlib.contextmanager
def slow_uploads(port: int, path: str, cookies: str, token: str, count: int) -> Iterator[None]:
    """So many uploads of somebody who is signed in, of which a byte comes now and then."""
    stop = threading.Event()
    head = (
        f"POST {path} HTTP/1.1\r\nHost: 127.0.0.1:{port}\r\nCookie: {cookies}\r\nX-CSRFToken: {token}\r\n"
        "Content-Type: multipart/form-data; boundary=x\r\nContent-Length: 50000000\r\n\r\n"
    )

    def drip() -> None:
        with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), 5) as one:
            one.sendall(head.encode())
            while not stop.wait(0.3):
                one.sendall(b"x")

    threads = [threading.Thread(target=drip) for _ in range(count)]
    for thread in threads:
        thread.start()
    try:
        time.sleep(1)
        yield
    finally:
        stop.set()
        for thread in threads:
            thread.join()


def bytes_in(folder: Path) -> int:
    """How much lies in a folder and below it."""
    total = 0
    for path in folder.rglob("*"):
        with contextlib.suppress(OSError):
            total += path.stat().st_size if path.is_file() else 0
    return total
