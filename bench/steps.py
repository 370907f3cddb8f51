"""Each kind of step on a thousand rows, over HTTP against a running ./start: time and bytes, against the whole arrangement that a page begins with.

`YUPLET_URL` and `YUPLET_VAR` say which server is asked (an older one can be measured by the same script).
"""

import http.cookiejar
import json
import os
import time
import urllib.request
from pathlib import Path
from typing import Any

from measure import ROOT, table

URL = os.environ.get("YUPLET_URL", "http://127.0.0.1:8600")
VAR = Path(os.environ.get("YUPLET_VAR", ROOT / "var"))
ROWS, TIMES = 1000, 7


class Page:
    """A signed-in visitor."""

    def __init__(self) -> None:
        self.jar = http.cookiejar.CookieJar()
        self.opener = urllib.request.build_opener(urllib.request.HTTPCookieProcessor(self.jar))
        self.ask("GET", "/api/session")
        self.ask(
            "POST",
            "/api/session",
            {"username": "demo", "password": json.loads((VAR / "secrets.json").read_text())["demo_password"]},
        )

    def raw(self, method: str, path: str, data: bytes | None = None, kind: str = "application/json") -> bytes:
        """The bytes of an answer."""
        token = next((cookie.value for cookie in self.jar if cookie.name == "csrftoken"), "") or ""
        headers = {"Content-Type": kind, "X-CSRFToken": token, "Accept": "application/json"}
        request = urllib.request.Request(URL + path, data, headers, method=method)
        with self.opener.open(request) as answer:
            return bytes(answer.read())

    def ask(self, method: str, path: str, value: Any = None) -> Any:
        """The same as JSON."""
        found = self.raw(method, path, None if value is None else json.dumps(value).encode())
        return json.loads(found) if found else None

    def upload(self, path: str, name: str, data: bytes) -> Any:
        """Send a file as a form."""
        edge = "a-thousand-rows"
        head = f'--{edge}\r\nContent-Disposition: form-data; name="file"; filename="{name}"\r\nContent-Type: image/svg+xml\r\n\r\n'
        body = head.encode() + data + f"\r\n--{edge}--\r\n".encode()
        return json.loads(self.raw("POST", path, body, f"multipart/form-data; boundary={edge}"))


def drawing() -> bytes:
    """A thousand shapes in fifty groups."""
    groups = []
    for group in range(ROWS // 20):
        shapes = "".join(
            f'<rect id="leaf-{group}-{at}" x="{at * 9}" y="{group * 9}" width="8" height="8" fill="#3a{group:02x}44"/>'
            for at in range(20)
        )
        groups.append(f'<g id="bough-{group}">{shapes}</g>')
    return f'<svg xmlns="http://www.w3.org/2000/svg" width="200" height="460">{"".join(groups)}</svg>'.encode()


def commands(rows: list[dict[str, Any]], turn: int) -> dict[str, dict[str, Any]]:
    """A command of each kind; each turn another one, so that something changes."""
    parts = [row["id"] for row in rows if row["kind"] == "part"]
    groups = [row["id"] for row in rows if row["kind"] == "group"]
    return {
        "hide a part": {"do": "show-rows", "shown": {parts[0]: turn % 2 == 1}},
        "name all parts": {"do": "rename-rows", "names": {row: f"{turn} {at}" for at, row in enumerate(parts)}},
        "move a part": {"do": "move-rows", "places": [{"row": parts[5], "group": groups[turn % 9], "index": 0}]},
        "order a group": {
            "do": "order-rows",
            "group": None,
            "by": "listed",
            "listed": groups[:: 1 if turn % 2 else -1],
        },
        "depths of all": {"do": "set-depths", "depths": {row: 10.0 * turn + at for at, row in enumerate(parts)}},
        "a parent": {"do": "set-joints", "parents": {parts[1]: parts[2 + turn]}},
        "decide": {"do": "decide", "decisions": {"travel": 10.0 + turn}},
    }


def main() -> str:
    page = Page()
    project = page.ask("GET", "/api/projects")[0]["id"]
    made = page.upload(f"/api/projects/{project}/illustrations", "thousand.svg", drawing())["id"]
    while page.ask("GET", f"/api/illustrations/{made}")["state"] != "ready":
        time.sleep(0.5)
    path = f"/api/illustrations/{made}/arrangement"
    began = time.perf_counter()
    whole = page.raw("GET", path)
    read = time.perf_counter() - began
    view = json.loads(whole)
    figures: dict[str, list[tuple[float, int]]] = {}
    version = view["version"]
    for turn in range(TIMES):
        for name, command in commands(view["rows"], turn).items():
            data = json.dumps({"version": version, "command": command}).encode()
            began = time.perf_counter()
            answer = page.raw("POST", f"/api/illustrations/{made}/steps", data)
            figures.setdefault(name, []).append((time.perf_counter() - began, len(answer)))
            version = json.loads(answer)["version"]
        for name in ("undo", "redo"):
            data = json.dumps({"version": version}).encode()
            began = time.perf_counter()
            answer = page.raw("POST", f"/api/illustrations/{made}/{name}", data)
            figures.setdefault(name, []).append((time.perf_counter() - began, len(answer)))
            version = json.loads(answer)["version"]
    rows = [["the whole arrangement", f"{read * 1000:.0f} ms", "1", f"{len(whole):,}"]]
    for name, found in figures.items():
        # The first may meet what is not loaded yet.
        times = sorted(seconds for seconds, _ in found[1:])
        middle = times[len(times) // 2]
        rows.append([name, f"{middle * 1000:.0f} ms", f"{middle / read:.2f}", f"{found[-1][1]:,}"])
    note = "1,000 parts in 50 groups; the median of six, with the front server and the database. Times mean something beside each other."
    return table("Steps on 1,000 rows", ["step", "time", "of the whole", "bytes of the answer"], rows, note)


if __name__ == "__main__":
    print(main())
