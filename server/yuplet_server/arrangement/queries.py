"""Questions to the arrangement of an illustration."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple, cast

from django.db import connection

from yuplet.arrangement.naming.rules import Change as NameChange
from yuplet.arrangement.naming.rules import Renaming
from yuplet.arrangement.naming.rules import renamings as core_renamings
from yuplet.arrangement.records import RowRecord, frames_from_json, from_records
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.arrangement.tree import Decisions
from yuplet.geometry import Box, Size
from yuplet.illustration.layers import Layer
from yuplet.illustration.matching import match_revisions
from yuplet.illustration.records import from_record
from yuplet.parts.part import Anchor, Frame, Margins, Part, Role, part_box
from yuplet.pixels.picture_cache import keep, kept
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement, Row, Step
from yuplet_server.arrangement.rows import Placed, placed
from yuplet_server.illustrations.models import Illustration, LayerImage, Revision
from yuplet_server.illustrations.queries import flagged_layers, looks_of, read_of

FLAGS = ("provisional name", "proposed place")
"""Notes of what was read that an artist should look at."""


class Known(NamedTuple):
    """An arrangement at a version as the core's value, its rows by id, and, where it is known, those that changed with that version, each with
    whether it looks different."""

    tree: Tree
    rows: Mapping[str, Placed]
    changed: Mapping[str, bool] | None = None


def tree_of(arrangement: Arrangement) -> Tree:
    """The arrangement as the core's value, from one query; from none where this process had it before."""
    return known(arrangement).tree


def known(arrangement: Arrangement) -> Known:
    """The same with its rows."""
    found = kept(_key(arrangement))
    if not isinstance(found, Known):
        records = records_of(arrangement, kept(_latest(arrangement)))
        tree = from_records(records, arrangement.alone, Decisions.from_json(arrangement.decisions))
        found = Known(tree, placed(tree))
        if not connection.in_atomic_block:
            # What a transaction has changed may be rolled back.
            remember(arrangement, found)
    return found


def remember(arrangement: Arrangement, what: Known) -> None:
    """Keep what an arrangement is at its version, which is never anything else."""
    size = len(what.rows) * _BYTES_A_ROW
    keep(_key(arrangement), what, size)
    keep(_latest(arrangement), (arrangement.version, what), size)


def records_of(arrangement: Arrangement, latest: tuple[int, Known] | None) -> list[RowRecord]:
    """All rows from the database, or, where this process knew an earlier version, those that other processes have changed since."""
    if latest is not None and latest[0] <= arrangement.version:
        version, earlier = latest
        order: Iterable[str] = earlier.rows
        if arrangement.order_changed > version:
            order = list(arrangement.rows.order_by("position").values_list("row", flat=True))
        held = {row: one.record for row, one in earlier.rows.items()}
        held |= {row.row: record_of(row) for row in arrangement.rows.filter(changed__gt=version)}
        # A row may have come and gone between the two questions.
        if all(row in held for row in order):
            return [held[row] for row in order]
    return [record_of(row) for row in arrangement.rows.order_by("position")]


def _latest(arrangement: Arrangement) -> tuple[Any, ...]:
    return ("latest arrangement", arrangement.pk, arrangement.stamp)


def _key(arrangement: Arrangement) -> tuple[Any, ...]:
    return ("arrangement", arrangement.pk, arrangement.stamp, arrangement.version)


_BYTES_A_ROW = 3_000


def undoable(arrangement: Arrangement, user: User) -> Step | None:
    """The last step of somebody that is not undone."""
    return arrangement.steps.filter(user=user, state=Step.State.DONE).order_by("-version").first()


def redoable(arrangement: Arrangement, user: User) -> Step | None:
    """The step that somebody undid last: steps are undone newest first, so it is the oldest undone one."""
    return arrangement.steps.filter(user=user, state=Step.State.UNDONE).order_by("version").first()


def revision_of(arrangement: Arrangement) -> Revision:
    """The revision that is worked with."""
    return Illustration.objects.select_related("current").get(pk=arrangement.pk).revision


def page_payload(illustration_id: int, user: User, since: int = 0) -> dict[str, Any]:
    """What a page shows of an arrangement: what can be undone, and the rows that changed after the version `since`, back to front.

    `rows` are those that look different since, with boxes and pictures; `decided` are the others, with what was decided about them.
    `order` are the ids of all rows where any came, went or moved since, else None.
    """
    # Who asks has been looked at; which revision is worked with may just have changed.
    found = Arrangement.objects.select_related("illustration__current")
    arrangement = found.defer(*_LARGE).get(pk=illustration_id)
    revision = arrangement.illustration.revision
    now = known(arrangement)
    records = [one.record for one in now.rows.values()]
    changed = _changed_since(arrangement, now, since)
    drawn = [one for row, one in now.rows.items() if changed.get(row)]
    undo, redo = _back_and_forth(arrangement, user)
    # A row that is shown alone may be gone: read as frames, or of another revision.
    alone = next((record.id for record in records if record.id == arrangement.alone), None)
    return {
        "version": arrangement.version,
        "alone": alone,
        "undo": undo,
        "redo": redo,
        "revision": revision.number,
        "decisions": Decisions.from_json(arrangement.decisions).as_json(),
        "rows": _rows(revision, drawn) if drawn else [],
        "decided": [_decided(record) for record in records if changed.get(record.id) is False],
        "order": [record.id for record in records] if arrangement.order_changed > since else None,
    }


def _changed_since(arrangement: Arrangement, now: Known, since: int) -> Mapping[str, bool]:
    """Rows that changed after a version, each with whether it looks different; after none, all."""
    if since == 0:
        return dict.fromkeys(now.rows, True)
    if since == arrangement.version - 1 and now.changed is not None:
        return now.changed
    found = arrangement.rows.filter(changed__gt=since).values_list("row", "redrawn")
    return {row: redrawn > since for row, redrawn in found}


_LARGE = ("illustration__current__record", "illustration__current__report")


def _back_and_forth(arrangement: Arrangement, user: User) -> tuple[str | None, str | None]:
    """The titles of the steps that somebody can undo and do again."""
    own = arrangement.steps.filter(user=user, state__in=(Step.State.DONE, Step.State.UNDONE))
    titles = own.order_by("-version").values_list("state", "title")
    undo = redo = None
    for state, title in titles.iterator(chunk_size=50):
        if state == Step.State.DONE:
            undo = title
            break
        redo = title
    return undo, redo


def _rows(revision: Revision, rows: Sequence[Placed]) -> list[dict[str, Any]]:
    """Rows as the ledger shows them, all by the same few questions."""
    read = read_of(revision)
    parts = {row.record.id: row.of for row in rows if isinstance(row.of, Part)}
    wanted = {layer for part in parts.values() for layer in part.layers}
    found = LayerImage.objects.filter(revision=revision)
    images = {image.layer: image for image in (found if len(wanted) > _MANY else found.filter(layer__in=wanted))}
    roots = {made.id: read.roots_of(made.id) for made in read.made if made.id in wanted}
    words = {layer.id: layer.words for layer in read.leaves() if layer.words}
    sources = {layer.id: number for number, layer in enumerate(read.leaves())}
    for made, own in roots.items():
        if words:
            words[made] = " ".join(words.get(root, "") for root in sorted(own)).strip()
        if own:
            sources[made] = min(sources.get(root, 0) for root in own)
    layers = _Layers(
        images=images,
        boxes=read.boxes,
        canvas=read.canvas,
        vector={layer.id for layer in read.leaves() if layer.kind == "vector"},
        words=words,
        flagged=flagged_layers(revision, FLAGS),
        sources=sources,
    )
    return [_row(row.record, parts.get(row.record.id), layers) for row in rows]


_MANY = 500
"""Layers from which on all of them are asked for at once."""


def stamp(illustration: Illustration, user: User) -> str:
    """What changes whenever `seen` says something else."""
    version = Arrangement.objects.filter(pk=illustration.pk).values_list("version", flat=True).first()
    return f'"{illustration.pk}-{version}-{illustration.current_id}-{user.pk}"'


def renamings(illustration: Illustration, rows: Sequence[str], changes: Sequence[NameChange]) -> list[Renaming]:
    """What rows would be called. Raises `ArrangementError`."""
    read = read_of(illustration.revision)
    known = {layer.id: layer.name for layer in read.leaves()}
    # A layer that was made of one of the art has that one's name; of several, none.
    roots = {made.id: read.roots_of(made.id) for made in read.made}
    known.update({made: known[min(ids)] for made, ids in roots.items() if len(ids) == 1 and min(ids) in known})
    tree = tree_of(Arrangement.objects.get(pk=illustration.pk))
    return core_renamings(tree, rows, changes, known)


def review(illustration: Illustration, revision: Revision) -> dict[str, Any]:
    """Every layer of a revision beside the current one's, as they are proposed to be paired."""
    now = illustration.revision
    before, after = (side_of(one) for one in (now, revision))
    parts = [part for _, part in tree_of(Arrangement.objects.get(pk=illustration.pk)).parts()]
    read, raw = read_of(now), from_record(revision.record)
    matches, cut = match_revisions(read, raw, looks_of(now), looks_of(revision))
    return {
        "number": revision.number,
        "width": revision.width,
        "height": revision.height,
        "picture": revision.picture,
        "matches": [
            {
                "old": before.get(match.old),
                "new": after.get(match.new),
                "changes": match.changes,
                "dx": match.dx,
                "dy": match.dy,
                "parts": {
                    part.id: part.name
                    for part in parts
                    if match.old in {root for layer in part.layers for root in read.roots_of(layer)}
                },
            }
            for match in matches
        ],
        "cut": [
            {"old": before[layer], "name": moving.name, "frames": len(moving.members)} for layer, moving in cut.items()
        ],
    }


def side_of(revision: Revision) -> dict[str | None, dict[str, Any]]:
    """The layers of a revision as a review shows them, by id."""
    images = {image.layer: image for image in revision.images.all()}
    found: dict[str | None, dict[str, Any]] = {}
    for path, node in from_record(revision.record).walk():
        image = images.get(node.id)
        if isinstance(node, Layer):
            found[node.id] = {
                "id": node.id,
                "path": list(path),
                "box": node.box.as_xywh() if node.box is not None else None,
                "image": image.pixels if image else None,
                "thumbnail": image.thumbnail if image else None,
            }
    return found


@dataclass(frozen=True, slots=True, kw_only=True)
class _Layers:
    """What is known of the layers of the rows that are shown."""

    images: dict[str, LayerImage]
    boxes: dict[str, Box]
    canvas: Size
    vector: set[str]
    words: dict[str, str]
    flagged: frozenset[str]
    sources: dict[str, int]


def _decided(record: RowRecord) -> dict[str, Any]:
    return {
        "id": record.id,
        "group": record.group,
        "name": record.name,
        "shown": record.shown,
        "included": record.included,
        "opacity": record.opacity,
        "blend": record.blend,
        "isolated": record.isolated,
        "alternate": record.alternate,
        "locked": record.locked,
        "pivot": record.pivot,
        "parent": record.parent,
        "depth": record.depth,
        "role": record.role,
        "margins": record.margins,
        "anchor": record.anchor,
        "loops": record.loops,
    }


def _row(record: RowRecord, part: Part | None, layers: _Layers) -> dict[str, Any]:
    images, boxes = layers.images, layers.boxes
    box = part_box(part, boxes, layers.canvas) if part is not None else None
    drawn = [piece.layer for piece in part.pieces if piece.layer in images and piece.layer in boxes] if part else []
    number = (
        min((layers.sources[layer] for layer in part.layers if layer in layers.sources), default=None) if part else None
    )
    # Of several layers the largest says most.
    largest = max(drawn, key=lambda layer: boxes[layer].size.pixels, default=None)
    return {
        **_decided(record),
        "kind": record.kind,
        "box": box.as_xywh() if box is not None else None,
        "offset": record.offset,
        "layer_number": number,
        "vector": part is not None and bool(part.layers & layers.vector),
        "words": ""
        if part is None
        else " ".join(layers.words[layer] for layer in sorted(part.layers) if layer in layers.words),
        "flagged": bool(({record.id} if part is None else part.layers) & layers.flagged),
        "thumbnail": images[largest].thumbnail if largest is not None else None,
        "frames": [] if part is None else [_frame(frame, part, layers) for frame in part.frames],
    }


def _frame(frame: Frame, part: Part, layers: _Layers) -> dict[str, Any]:
    return {
        "milliseconds": frame.milliseconds,
        "pieces": [
            {
                "layer": piece.layer,
                "image": layers.images[piece.layer].pixels,
                "vector": piece.layer in layers.vector,
                "box": layers.boxes[piece.layer].moved(*part.offset).as_xywh(),
                "opacity": piece.opacity,
                "blend": piece.blend,
            }
            for piece in frame.pieces
            if piece.layer in layers.images
        ],
    }


def record_of(row: Row) -> RowRecord:
    """A row as the core's value."""
    pivot = None if row.pivot_x is None or row.pivot_y is None else (row.pivot_x, row.pivot_y)
    margins = None if row.margins is None else Margins(*row.margins)
    anchor = None if row.anchor is None else Anchor(*row.anchor)
    return RowRecord(
        id=row.row, kind=row.kind, group=row.group, name=row.name, shown=row.shown, opacity=row.opacity, blend=row.blend, isolated=row.isolated, included=row.included, locked=row.locked,
        pivot=pivot, frames=frames_from_json(row.frames), offset=(row.offset_x, row.offset_y), loops=row.loops, alternate=row.alternate,
        parent=row.parent, depth=row.depth, role=cast(Role, row.role), margins=margins, anchor=anchor, beyond=row.beyond,
    )  # fmt: skip
