"""Tables of places for receivers that count otherwise. The columns are described in docs/formats/places.md."""

import csv
import io
import json
from typing import Any

from yuplet.geometry import Point
from yuplet.plan.planned import Plan, PlannedExtra

FORMAT = "yuplet-places"
VERSION = 1
COLUMNS = (
    "order", "name", "file", "x", "y", "width", "height", "pivot_x", "pivot_y", "shown", "id", "parent", "opacity", "blend", "mirrored", "quarters",
)  # fmt: skip
_COMPUTED = ("=", "+", "-", "@", "\t", "\r", "'")


def places(plan: Plan, one: PlannedExtra) -> bytes:
    """One line a part, back to front: where it lies, how large it is, and its pivot, all counted in one way."""
    way = one.places
    assert way is not None
    at, canvas = plan.main, plan.main.canvas
    across, down = (canvas.width, canvas.height) if way.unit == "fractions" else (1, 1)

    middle = Point(canvas.width / 2, canvas.height / 2)

    def coordinates(point: Point) -> list[float | int]:
        x, y = point.x, canvas.height - point.y if way.up else point.y
        if way.zero == "centre":
            x, y = x - middle.x, y - middle.y
        return [_plain(x / across), _plain(y / down)]

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
                "id": planned.part.id,
                "parent": plan.parents.get(planned.part.id),
                "opacity": _plain(planned.part.opacity),
                "blend": planned.part.blend,
                "mirrored": image.turn is not None and image.turn.mirrored,
                "quarters": image.turn.quarters if image.turn else 0,
            }
        )
    if way.format == "json":
        head = {
            "format": FORMAT,
            "version": VERSION,
            "origin": way.origin,
            "y": "up" if way.up else "down",
            "zero": way.zero,
            "unit": way.unit,
            "canvas": {"width": canvas.width, "height": canvas.height},
        }
        return json.dumps({**head, "parts": rows}, indent=1, ensure_ascii=False).encode()
    out = io.StringIO(newline="")
    lines = csv.DictWriter(out, COLUMNS, extrasaction="ignore")
    lines.writeheader()
    for row in rows:
        pivot_x, pivot_y = row["pivot"] or ("", "")
        told = {**row, "pivot_x": pivot_x, "pivot_y": pivot_y}
        lines.writerow({name: cell(_yes_or_no(value)) for name, value in told.items()})
    return out.getvalue().encode()


def cell(value: Any) -> Any:
    """A cell of a table for spreadsheets: a text that one would compute gets an apostrophe in front, as one types it there.

    Source: OWASP, "CSV Injection". The apostrophe itself gets one too, so that it can be taken away again.

    >>> [cell(value) for value in ("=1+1", "-lamp", "'x", "lamp", -3)]
    ["'=1+1", "'-lamp", "''x", 'lamp', -3]
    """
    return f"'{value}" if isinstance(value, str) and value[:1] in _COMPUTED else value


def _yes_or_no(value: Any) -> Any:
    return ("yes" if value else "no") if isinstance(value, bool) else value


def _plain(value: float) -> float | int:
    return int(value) if float(value).is_integer() else value
