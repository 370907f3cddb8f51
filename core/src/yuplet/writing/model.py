"""The parts in space as binary glTF: a textured quad each, carried by its parent, in front of what lies behind.

y points up and z to whoever looks; the bottom left corner of the canvas is at 0, 0.
"""

from collections.abc import Callable
from typing import Any

from yuplet.geometry import Point
from yuplet.illustration.derived import Turn
from yuplet.pixels import Picture
from yuplet.plan.planned import Plan, PlannedPart
from yuplet.writing import png
from yuplet.writing.glb import Glb


def model(plan: Plan, picture: Callable[[PlannedPart], Picture]) -> bytes:
    """A GLB file. Each part is a node at its pivot (else at its middle), with its parent's as the node above and a node for its quad below;
    what is hidden has a quad of size 0, which the specification names for that. Textures are straight-alpha PNG.
    """
    said = plan.recipe.extras.model
    assert said is not None
    made = Glb(said.pixels_per_unit, plan.recipe.smooth)
    parts = {planned.part.id: planned for planned in plan.parts}
    at, factor = plan.main, float(plan.main.factor)
    unit = said.pixels_per_unit

    def anchor(row: str) -> tuple[float, float, float]:
        """Where a part's node is, from the bottom left corner of the canvas."""
        part = parts[row].part
        pivot = at.images[row].box.centre if part.pivot is None else Point(part.pivot.x * factor, part.pivot.y * factor)
        depth = -part.depth * factor / unit if said.z == "depth" else 0.0
        return pivot.x / unit, (at.canvas.height - pivot.y) / unit, depth + parts[row].order * said.step

    textures: dict[str, int] = {}
    carried: dict[str, list[int]] = {}
    roots: list[int] = []
    numbers = {row: 1 + 2 * number for number, row in enumerate(parts)}
    nodes: list[dict[str, Any]] = [{"name": plan.title or "picture"}]
    for row, planned in parts.items():
        image, parent = at.images[row], plan.parents.get(row)
        key = image.frames[0].id
        if key not in textures:
            textures[key] = made.texture(png.encode(picture(planned)), planned.path[-1])
        here, above = anchor(row), anchor(parent) if parent is not None else (0.0, 0.0, 0.0)
        corner = Point(image.cut.left / unit - here[0], (at.canvas.height - image.cut.bottom) / unit - here[1])
        size = (image.cut.width / unit, image.cut.height / unit)
        mesh = made.quad(corner, size, image.turn or Turn(), textures[key], planned.part.opacity, planned.path[-1])
        own = {
            "name": planned.path[-1],
            "translation": [one - other for one, other in zip(here, above, strict=True)],
            "children": [numbers[row] + 1],
            "extras": {"id": row, "path": list(planned.path), "shown": planned.shown},
        }
        drawn: dict[str, Any] = {"name": f"{planned.path[-1]} picture", "mesh": mesh}
        if not planned.shown:
            drawn["scale"] = [0, 0, 0]
        nodes += [own, drawn]
        (roots if parent is None else carried.setdefault(parent, [])).append(numbers[row])
    for row, children in carried.items():
        nodes[numbers[row]]["children"] += children
    nodes[0]["children"] = roots
    return made.file(nodes, plan.credit.author)
