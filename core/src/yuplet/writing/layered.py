"""The parts as one layered file, for programs that paint on: OpenRaster, see `writing.openraster`."""

import io
from collections.abc import Callable, Sequence

from yuplet.arrangement.tree import PartGroup, Row
from yuplet.illustration.layers import Illustration, Layer, LayerGroup, LayerNode
from yuplet.pixels import Picture
from yuplet.pixels.spill_file import SpillFile
from yuplet.plan.planned import Plan, PlannedPart
from yuplet.writing import openraster


def layers(plan: Plan, picture: Callable[[PlannedPart], Picture]) -> bytes:
    """Each part a layer with its name, place, opacity and mode, in the groups and the order of the plan; what is hidden is hidden."""
    at = plan.main
    parts = {planned.part.id: planned for planned in plan.parts}
    numbers = {row: f"part{number}" for number, row in enumerate(parts)}
    with SpillFile() as scratch:

        def nodes(rows: Sequence[Row]) -> tuple[LayerNode, ...]:
            found: list[LayerNode] = []
            for row in rows:
                if isinstance(row, PartGroup):
                    found.append(
                        LayerGroup(
                            row.id,
                            row.name,
                            nodes(row.members),
                            visible=row.shown,
                            opacity=row.opacity,
                            blend=row.blend,
                            isolated=row.isolated,
                        )
                    )
                    continue
                # An animated part is seen as it is at rest.
                scratch.put(numbers[row.id], picture(parts[row.id]))
                box = at.images[row.id].cut
                found.append(
                    Layer(
                        numbers[row.id],
                        row.name,
                        box,
                        visible=row.shown,
                        opacity=row.opacity,
                        blend=row.blend,
                        locked=row.locked,
                    )
                )
            return tuple(found)

        ppi = plan.ppi_at(at)
        out = io.BytesIO()
        openraster.write(out, Illustration(plan.title, at.canvas, nodes(plan.tree), ppi=ppi), scratch)
    return out.getvalue()
