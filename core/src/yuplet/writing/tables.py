"""Tables of places for receivers that count otherwise: from the top left corner or the centre, down or up, in pixels or fractions."""

import csv
import io
import json
from typing import Any

from yuplet.geometry import Point
from yuplet.plan.planned import Plan, PlannedExtra

FORMAT = "yuplet-places"
VERSION = 1
_COMPUTED = ("=", "+", "-", "@", "\t", "\r", "'")


def places(plan: Plan, one: PlannedExtra) -> bytes:
    """One line a part, back to front: where it lies, how large it is, and its pivot, all counted in one way."""
    way = one.places
    assert way is not None
    at, canvas = plan.main, plan.main.canvas
    across, down = (canvas.width, canvas.height) if way.unit == "fractions" else (1, 1)

    def coordinates(point: Point) -> list[float | int]:
        y = canvas.height - point.y if way.up else point.y
        return [_plain(point.x / across), _plain(y / down)]

    rows: list[dict[str, Any]] = []
    for planned in plan.parts:
        image = at.images[planned.part.id]
        place = image.box.centre if way.origin == "centre" else Point(image.box.left, image.box.top)
        pivot = planned.part.pivot
        x, y = coordinates(place)
        rows.append(
            {
                "order": planned.order,
                "name": "/".join(planned.path),
                "file": image.file,
                "x": x,
                "y": y,
                "width": _plain(image.box.width / across),
                "height": _plain(image.box.height / down),
                "pivot": None
                if pivot is None
                else coordinates(Point(pivot.x * float(at.factor), pivot.y * float(at.factor))),
                "shown": planned.shown,
            }
        )
    if way.format == "json":
        head = {
            "format": FORMAT,
            "version": VERSION,
            "origin": way.origin,
            "y": "up" if way.up else "down",
            "unit": way.unit,
            "canvas": {"width": canvas.width, "height": canvas.height},
        }
        return json.dumps({**head, "parts": rows}, indent=1, ensure_ascii=False).encode()
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(["order", "name", "file", "x", "y", "width", "height", "pivot_x", "pivot_y", "shown"])
    for row in rows:
        pivot_of = row.pop("pivot") or ("", "")
        shown = "yes" if row.pop("shown") else "no"
        writer.writerow([cell(value) for value in (*row.values(), *pivot_of, shown)])
    return out.getvalue().encode()


def cell(value: Any) -> Any:
    """A cell of a table for spreadsheets: a text that one would compute gets an apostrophe in front, as one types it there.

    Source: OWASP, "CSV Injection". The apostrophe itself gets one too, so that it can be taken away again.

    >>> [cell(value) for value in ("=1+1", "-lamp", "'x", "lamp", -3)]
    ["'=1+1", "'-lamp", "''x", 'lamp', -3]
    """
    return f"'{value}" if isinstance(value, str) and value[:1] in _COMPUTED else value


def _plain(value: float) -> float | int:
    return int(value) if float(value).is_integer() else value
