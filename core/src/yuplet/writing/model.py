"""The parts in space as binary glTF: a textured quad each, carried by its parent, in front of what lies behind.

y points up and z to whoever looks; the bottom left corner of the canvas is at 0, 0. A camera looks at the middle of the canvas. A perspective
one sees what stands farther away smaller (similar triangles), so that has to be larger to look as drawn.
"""

from collections import Counter
from collections.abc import Callable, Mapping
from typing import Any, Literal

from yuplet.geometry import Point
from yuplet.illustration.derived import Turn
from yuplet.pixels import Picture
from yuplet.plan.planned import Plan, PlannedPart
from yuplet.writing import png
from yuplet.writing.glb import Glb


def model(plan: Plan, picture: Callable[[PlannedPart], Picture]) -> bytes:
    """A GLB file. Each part is a node at its pivot (else at its middle), with its parent's as the node above and a node for its quad below;
    what is hidden, or stands at the camera or behind it, has a quad of size 0, which the specification names for that. Textures are straight-alpha
    PNG.
    """
    said = plan.recipe.extras.model
    assert said is not None
    made = Glb(said.pixels_per_unit, plan.recipe.smooth)
    parts = {planned.part.id: planned for planned in plan.parts}
    at, factor = plan.main, float(plan.main.factor)
    unit = said.pixels_per_unit

    middle = Point(at.canvas.width / unit / 2, at.canvas.height / unit / 2)
    distance = plan.distance * factor / unit
    in_perspective = _is_in_perspective(plan)

    def height(row: str) -> float:
        """How far before the picture a part stands."""
        depth = -parts[row].part.depth * factor / unit if said.z == "depth" else 0.0
        return depth + parts[row].order * said.step

    def larger(row: str) -> float:
        """How many times as large a part is as it looks."""
        return (distance - height(row)) / distance if in_perspective else 1.0

    def anchor(row: str) -> tuple[float, float, float]:
        """Where a part's node is, from the bottom left corner of the canvas."""
        part, times = parts[row].part, larger(row)
        pivot = at.images[row].box.centre if part.pivot is None else Point(part.pivot.x * factor, part.pivot.y * factor)
        across, up = pivot.x / unit - middle.x, (at.canvas.height - pivot.y) / unit - middle.y
        return middle.x + times * across, middle.y + times * up, height(row)

    textures: dict[str, int] = {}
    carried: dict[str, list[int]] = {}
    roots: list[int] = []
    numbers = {row: 1 + 2 * number for number, row in enumerate(parts)}
    names = _once({row: planned.path for row, planned in parts.items()})
    nodes: list[dict[str, Any]] = [{"name": plan.title or "picture"}]
    for row, planned in parts.items():
        image, parent = at.images[row], plan.parents.get(row)
        key = image.frames[0].id
        if key not in textures:
            textures[key] = made.texture(png.encode(picture(planned)), planned.path[-1])
        here, above = anchor(row), anchor(parent) if parent is not None else (0.0, 0.0, 0.0)
        times = larger(row)
        left, low = image.cut.left / unit - middle.x, (at.canvas.height - image.cut.bottom) / unit - middle.y
        corner = Point(middle.x + times * left - here[0], middle.y + times * low - here[1])
        size = (times * image.cut.width / unit, times * image.cut.height / unit)
        mesh = made.quad(corner, size, image.turn or Turn(), textures[key], planned.part.opacity, names[row])
        own = {
            "name": names[row],
            "translation": [one - other for one, other in zip(here, above, strict=True)],
            "children": [numbers[row] + 1],
            "extras": {
                "id": row,
                "path": list(planned.path),
                "shown": planned.shown,
                # "pivot" alone means a place to one loader, three.js.
                "has_pivot": planned.part.pivot is not None,
            },
        }
        drawn: dict[str, Any] = {"name": f"{names[row]} picture", "mesh": mesh}
        if not planned.shown or times <= 0:
            drawn["scale"] = [0, 0, 0]
        nodes += [own, drawn]
        (roots if parent is None else carried.setdefault(parent, [])).append(numbers[row])
    for row, children in carried.items():
        nodes[numbers[row]]["children"] += children
    # Between two steps a receiver must be able to tell what is in front: it has few bits for all that the camera sees.
    away = [distance - height(row) for row in parts if height(row) < distance]
    between = (0.9 * min(away, default=distance), 1.1 * max(away, default=distance))
    kind: Literal["perspective", "orthographic"] = "perspective" if in_perspective else "orthographic"
    seen = made.camera(at.canvas.width / unit, at.canvas.height / unit, distance, between, kind)
    nodes.append({"name": "camera", "camera": seen, "translation": [middle.x, middle.y, distance]})
    nodes[0]["children"] = [*roots, len(nodes) - 1]
    return made.file(nodes, plan.credit.author)


def _is_in_perspective(plan: Plan) -> bool:
    """Whether the camera of the model is a perspective one: what is flat has its own size, whatever the recipe says."""
    said = plan.recipe.extras.model
    return bool(
        said and said.z == "depth" and said.camera == "perspective" and any(one.part.depth for one in plan.parts)
    )


def _once(paths: Mapping[str, tuple[str, ...]]) -> dict[str, str]:
    """A name for each part that no other has: its own, with those of its groups where that is needed, else with a number."""
    found: dict[str, str] = {}
    taken = {"camera"}
    often = Counter(path[-1] for path in paths.values())
    for row, path in paths.items():
        wanted = path[-1] if often[path[-1]] == 1 else "/".join(path)
        name, number = wanted, 2
        while name in taken:
            name, number = f"{wanted} {number}", number + 1
        found[row] = name
        taken |= {name, f"{name} picture"}
    return found
