"""Questions to the arrangement of an illustration."""

import base64
from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any, TypeAlias, cast

import numpy as np
from numpy.typing import NDArray

from yuplet.arrangement.naming import Change as NameChange
from yuplet.arrangement.naming import Renaming
from yuplet.arrangement.naming import renamings as core_renamings
from yuplet.arrangement.records import RowRecord, frames_from_json, from_records
from yuplet.arrangement.records import from_record as from_row_record
from yuplet.arrangement.taking import part_to_change, still_part
from yuplet.arrangement.tree import Arrangement as Tree
from yuplet.arrangement.tree import Decisions, laid
from yuplet.errors import SelectionError
from yuplet.geometry import Box, Point, Size
from yuplet.illustration.layers import Illustration as Read
from yuplet.illustration.layers import Layer
from yuplet.illustration.made import Merged
from yuplet.illustration.matching import match_layers
from yuplet.illustration.records import from_record
from yuplet.parts.cutting import MAX_PARTS
from yuplet.parts.fitting import stretchable
from yuplet.parts.joints import Circle, limb_at
from yuplet.parts.making import Content, Made
from yuplet.parts.merging import merged
from yuplet.parts.part import Anchor, Margins, Part, Piece, Role, laid_part, part_box
from yuplet.pixels import Picture
from yuplet.pixels.compositing import compose
from yuplet.pixels.scratch import Scratch
from yuplet.pixels.trimming import label_boxes
from yuplet.selecting.gestures import Edge, Gesture, select
from yuplet.selecting.masks import HALF, Mask
from yuplet.selecting.proposals import Proposals, propose
from yuplet.selecting.regions import islands, without_crumbs
from yuplet.writing import png
from yuplet_server.accounts.models import User
from yuplet_server.arrangement.models import Arrangement, Row, Step
from yuplet_server.illustrations.models import Illustration, LayerImage, Revision
from yuplet_server.illustrations.queries import content_of, decoded, load_pixels, looks_of, mask_of
from yuplet_server.project.errors import NotNow

FLAGS = ("provisional name", "proposed place")
"""Notes of what was read that an artist should look at."""


def tree_of(arrangement: Arrangement) -> Tree:
    """The arrangement as the core's value, from one query."""
    records = [record_of(row) for row in arrangement.rows.order_by("position")]
    return from_records(records, arrangement.alone, Decisions.from_json(arrangement.decisions))


def undoable(arrangement: Arrangement, user: User) -> Step | None:
    """The last step of somebody that is not undone."""
    return arrangement.steps.filter(user=user, state=Step.State.DONE).order_by("-version").first()


def redoable(arrangement: Arrangement, user: User) -> Step | None:
    """The step that somebody undid last: steps are undone newest first, so it is the oldest undone one."""
    return arrangement.steps.filter(user=user, state=Step.State.UNDONE).order_by("version").first()


def seen(illustration: Illustration, user: User) -> dict[str, Any]:
    """All that a page shows of an arrangement: rows back to front with boxes and pictures, and what can be undone."""
    arrangement = Arrangement.objects.get(pk=illustration.pk)
    images = {image.layer: image for image in LayerImage.objects.filter(revision=illustration.current)}
    read = from_record(illustration.revision.record)
    boxes = read.boxes
    vector = {layer.id for layer in read.leaves() if layer.kind == "vector"}
    words = {layer.id: layer.words for layer in read.leaves() if layer.words}
    words.update(
        {
            made.id: " ".join(words.get(root, "") for root in sorted(read.roots_of(made.id))).strip()
            for made in read.made
        }
        if words
        else {}
    )
    notes = illustration.revision.report["notes"]
    flagged = {note["layer"] for note in notes if note["kind"] in FLAGS and note.get("layer")}
    undo, redo = undoable(arrangement, user), redoable(arrangement, user)
    rows = list(arrangement.rows.order_by("position"))
    sources = {layer.id: number for number, layer in enumerate(read.leaves())}
    sources.update(
        {
            made.id: min(sources.get(root, 0) for root in read.roots_of(made.id))
            for made in read.made
            if read.roots_of(made.id)
        }
    )
    return {
        "version": arrangement.version,
        # A row that is shown alone may be gone: read as frames, or of another revision.
        "alone": arrangement.alone if arrangement.alone in {row.row for row in rows} else None,
        "undo": undo.title if undo else None,
        "redo": redo.title if redo else None,
        "revision": illustration.revision.number,
        "decisions": Decisions.from_json(arrangement.decisions).as_json(),
        "rows": [_row(row, images, boxes, read.canvas, vector, words, flagged, sources) for row in rows],
    }


def margins_of(illustration: Illustration, row: str) -> Margins | None:
    """How far from its edges a part could be kept from being stretched; None where nothing between them is alike. Raises as `selection` does."""
    return stretchable(art_of(illustration, row).picture)


def selection(
    illustration: Illustration, row: str, gestures: Sequence[Gesture], edge: Edge, frame: int = 0
) -> dict[str, Any]:
    """What gestures choose of a frame of a part: how many pixels, in which box of the canvas, and a picture of the mask.

    Raises `SelectionError`, or `ArrangementError` when the part is not one that can be selected from.
    """
    art = art_of(illustration, row, frame)
    mask = select(art.picture, art.box, gestures, edge, art.divide)
    rows, columns = np.flatnonzero(mask.any(axis=1)), np.flatnonzero(mask.any(axis=0))
    box = Box(int(columns[0]), int(rows[0]), int(columns[-1]) + 1, int(rows[-1]) + 1)
    cut = mask[box.top : box.bottom, box.left : box.right]
    return {
        "pixels": int((mask >= HALF).sum()),
        "box": box.moved(art.box.left, art.box.top).as_xywh(),
        "of": int((art.picture[..., 3] > 0).sum()),
        "mask": base64.b64encode(stencil(cut)).decode(),
    }


def islands_of(illustration: Illustration, row: str, gap: float, smallest: int) -> dict[str, Any]:
    """The separate pieces of a part as they would become parts, from the top left: a box and a mask each.

    `crumbs` is how many tiny ones belong to the nearest larger piece. Raises as `selection` does.
    """
    art = art_of(illustration, row)
    found = islands(art.picture, gap=gap, smallest=smallest)
    labels = without_crumbs(found)
    count = int(labels.max())
    if count > MAX_PARTS:
        raise SelectionError(
            f"There are {count} separate pieces. Choose a gap or a smallest size that leaves up to {MAX_PARTS}."
        )
    sizes = np.bincount(labels.ravel(), minlength=count + 1)
    pieces = []
    for number, box in enumerate(label_boxes(labels, count), 1):
        own = np.where(labels[box.top : box.bottom, box.left : box.right] == number, 255, 0).astype(np.uint8)
        pieces.append(
            {
                "pixels": int(sizes[number]),
                "box": box.moved(art.box.left, art.box.top).as_xywh(),
                "mask": base64.b64encode(stencil(own)).decode(),
            }
        )
    return {"pieces": pieces, "crumbs": len(found.crumbs) if count < len(found.sizes) - 1 else 0}


def proposals_of(illustration: Illustration, row: str) -> dict[str, Any]:
    """The nested regions of a part: which finest region each pixel is of, and what those become when they are merged.

    Raises as `selection` does.
    """
    art = art_of(illustration, row)
    found = art.divide(art.picture)
    picture = np.zeros((*found.labels.shape, 4), np.uint8)
    picture[..., 0], picture[..., 1] = found.labels & 255, found.labels >> 8
    picture[..., 3] = 255
    return {
        "box": art.box.as_xywh(),
        "count": found.count,
        "parents": list(found.parents),
        "labels": base64.b64encode(png.encode(picture, "quick")).decode(),
    }


def renamings(illustration: Illustration, rows: Sequence[str], changes: Sequence[NameChange]) -> list[Renaming]:
    """What rows would be called. Raises `ArrangementError`."""
    read = from_record(illustration.revision.record)
    known = {layer.id: layer.name for layer in read.leaves()}
    # A layer that was made of one of the art has that one's name; of several, none.
    roots = {made.id: read.roots_of(made.id) for made in read.made}
    known.update({made: known[min(ids)] for made, ids in roots.items() if len(ids) == 1 and min(ids) in known})
    tree = tree_of(Arrangement.objects.get(pk=illustration.pk))
    return core_renamings(tree, rows, changes, known)


def added_to(illustration: Illustration, row: str) -> dict[str, Any]:
    """What was filled in of a part, as `selection` tells what is chosen; nothing of it is no error."""
    art = art_of(illustration, row)
    added = np.where(art.content.all_added, 255, 0).astype(np.uint8)
    return {
        "pixels": int(art.content.all_added.sum()),
        "box": art.box.as_xywh(),
        "mask": base64.b64encode(stencil(added)).decode(),
    }


def limb_of(illustration: Illustration, row: str, x: float, y: float) -> Circle:
    """The circle about a place that is as wide as a part is there. Raises as `selection` does."""
    return limb_at(art_of(illustration, row).content, Point(x, y))


def difference(illustration: Illustration) -> dict[str, Any]:
    """Where the parts that are included and shown, laid together, differ from what was brought in: how many pixels, by how much, and a mask."""
    worst = away_from_original(illustration)
    mask = np.where(worst > 0, 255, 0).astype(np.uint8)
    return {
        "pixels": worst.size,
        "differing": int((worst > 0).sum()),
        "largest": int(worst.max()),
        "mask": base64.b64encode(stencil(mask)).decode(),
    }


def away_from_original(illustration: Illustration) -> NDArray[np.int16]:
    """By how much each pixel of the parts that are included and shown, laid together, differs from what was brought in, (H, W).

    Colour counts where either has alpha above 0.
    """
    revision = illustration.revision
    read = from_record(revision.record)
    tree = tree_of(Arrangement.objects.get(pk=illustration.pk)).settled()
    layers = {layer for _, part in tree.parts() if part.shown and part.included for layer in part.layers}
    with Scratch() as scratch:
        load_pixels(revision, layers, scratch, lambda *_: None)
        ours = compose(laid(tree, lambda part: laid_part(part, read.boxes, read.canvas)), read.canvas, scratch)
    away = np.abs(ours.astype(np.int16) - decoded(revision.picture))
    away[(ours[..., 3] == 0) & (away[..., 3] == 0)] = 0
    worst: NDArray[np.int16] = away.max(axis=2)
    return worst


def covered_by(illustration: Illustration, parts: Sequence[Part]) -> NDArray[np.bool_]:
    """Where some parts together cover the canvas completely, (H, W)."""
    read = from_record(illustration.revision.record)
    with Scratch() as scratch:
        load_pixels(illustration.revision, {layer for part in parts for layer in part.layers}, scratch, lambda *_: None)
        over = (laid_part(part, read.boxes, read.canvas) for part in parts)
        picture = compose([one for one in over if one is not None], read.canvas, scratch)
    covered: NDArray[np.bool_] = picture[..., 3] == 255
    return covered


_Pieces: TypeAlias = tuple[tuple[str, Box, str | None, float, str], ...]
"""Layers as they are laid: the digest of the pixels, the box, the mask of what was added, opacity and mode."""


@dataclass(frozen=True, slots=True)
class Art:
    """What is selected from: what a part holds, where the part lies on the canvas.

    `layer` is the layer that it is; None when it is of several, which `merged` are as one. `offset` is how far the part lies from
    where its layers do, `key` what tells its pixels from all others.
    """

    content: Content
    layer: str | None
    offset: tuple[int, int]
    key: "str | _Pieces"
    merged: Made | None = None

    @property
    def picture(self) -> Picture:
        """Its pixels."""
        return self.content.picture

    @property
    def box(self) -> Box:
        """Where it lies on the canvas."""
        return self.content.box

    @property
    def in_its_layer(self) -> Content:
        """The same where the layer lies, from which the part may have been moved."""
        return _moved(self.content, (-self.offset[0], -self.offset[1]))

    def divide(self, picture: Picture) -> Proposals:
        """Proposals for the art, which are computed once."""
        return _divided(self.key)


def laid_together(illustration: Illustration, read: Read, pieces: Sequence[Piece]) -> Made | None:
    """Pieces as one layer; None when nothing of them is seen."""
    contents = {
        piece.layer: found
        for piece in pieces
        if (found := content_of(illustration.revision, read, piece.layer)) is not None
    }
    return merged(contents, merging(pieces))


def merging(pieces: Sequence[Piece]) -> Merged:
    """The recipe of pieces that become one layer."""
    return Merged(tuple((piece.layer, piece.opacity, piece.blend) for piece in pieces))


def canvas_of(illustration: Illustration) -> Size:
    """How large the canvas is by now."""
    return from_record(illustration.revision.record).canvas


def art_of(illustration: Illustration, row: str, frame: int | None = None) -> Art:
    """The art of a part: of one of its frames, or of one that has none. Raises `ArrangementError`, `SelectionError` or `NotNow`."""
    tree = tree_of(Arrangement.objects.get(pk=illustration.pk))
    part = still_part(tree, row) if frame is None else part_to_change(tree, row)
    pieces = part.frames[(frame or 0) % len(part.frames)].pieces
    read = from_record(illustration.revision.record)
    found = LayerImage.objects.filter(revision=illustration.revision, layer__in=[piece.layer for piece in pieces])
    digests = dict(found.values_list("layer", "pixels"))
    boxes = read.boxes
    there = [piece for piece in pieces if piece.layer in digests and piece.layer in boxes]
    if not there:
        raise NotNow("This part is empty, so there is nothing to work with.")
    if len(pieces) == 1 and pieces[0].opacity == 1 and pieces[0].blend == "normal":
        layer = pieces[0].layer
        content = content_of(illustration.revision, read, layer)
        assert content is not None
        return Art(_moved(content, part.offset), layer, part.offset, digests[layer])
    added = {made.id: made.added for made in read.made}
    key = tuple(
        (digests[piece.layer], boxes[piece.layer], added.get(piece.layer), piece.opacity, piece.blend)
        for piece in there
    )
    made = _merged(key)
    return Art(_moved(made.content, part.offset), None, part.offset, key, replace(made, recipe=merging(pieces)))


@lru_cache(maxsize=4)
def _divided(key: "str | _Pieces") -> Proposals:
    return propose(decoded(key) if isinstance(key, str) else _merged(key).picture)


@lru_cache(maxsize=4)
def _merged(pieces: _Pieces) -> Made:
    sources = {
        str(number): Content(box, decoded(digest), None if added is None else mask_of(added) > 0)
        for number, (digest, box, added, _, _) in enumerate(pieces)
    }
    made = merged(sources, Merged(tuple((str(at), *piece[3:]) for at, piece in enumerate(pieces))))
    if made is None:
        raise NotNow("Nothing of this part is seen, so there is nothing to work with.")
    return made


def _moved(content: Content, offset: tuple[int, int]) -> Content:
    return replace(content, box=content.box.moved(*offset))


def stencil(mask: Mask) -> bytes:
    """A mask as black of its alpha, as small as PNG has it."""
    picture = np.zeros((*mask.shape, 4), np.uint8)
    picture[..., 3] = mask
    return png.encode(picture, "quick")


def review(illustration: Illustration, revision: Revision) -> dict[str, Any]:
    """Every layer of a revision beside the current one's, as they are proposed to be paired."""
    now = illustration.revision
    before, after = (side_of(one) for one in (now, revision))
    parts = [part for _, part in tree_of(Arrangement.objects.get(pk=illustration.pk)).parts()]
    read = from_record(now.record)
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
            for match in match_layers(looks_of(now), looks_of(revision))
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


def _row(
    row: Row,
    images: dict[str, LayerImage],
    boxes: dict[str, Box],
    canvas: Size,
    vector: set[str],
    words: dict[str, str],
    flagged: set[str],
    sources: dict[str, int],
) -> dict[str, Any]:
    part = _part(row)
    box = part_box(part, boxes, canvas) if part is not None else None
    drawn = [piece.layer for piece in part.pieces if piece.layer in images and piece.layer in boxes] if part else []
    number = min((sources[layer] for layer in part.layers if layer in sources), default=None) if part else None
    # Of several layers the largest says most.
    largest = max(drawn, key=lambda layer: boxes[layer].size.pixels, default=None)
    return {
        "id": row.row,
        "kind": row.kind,
        "group": row.group,
        "name": row.name,
        "shown": row.shown,
        "included": row.included,
        "opacity": row.opacity,
        "blend": row.blend,
        "isolated": row.isolated,
        "alternate": row.alternate,
        "locked": row.locked,
        "box": box.as_xywh() if box is not None else None,
        "offset": [row.offset_x, row.offset_y],
        "pivot": None if part is None or part.pivot is None else list(part.pivot),
        "parent": row.parent,
        "depth": row.depth,
        "role": row.role,
        "margins": row.margins,
        "anchor": row.anchor,
        "layer_number": number,
        "vector": part is not None and bool(part.layers & vector),
        "words": " ".join(words[layer] for layer in sorted(part.layers) if layer in words) if part is not None else "",
        "flagged": bool(({row.row} if part is None else part.layers) & flagged),
        "thumbnail": images[largest].thumbnail if largest is not None else None,
        "loops": row.loops,
        "frames": [
            {
                "milliseconds": frame.milliseconds,
                "pieces": [
                    {
                        "layer": piece.layer,
                        "image": images[piece.layer].pixels,
                        "vector": piece.layer in vector,
                        "box": boxes[piece.layer].moved(*part.offset).as_xywh(),
                        "opacity": piece.opacity,
                        "blend": piece.blend,
                    }
                    for piece in frame.pieces
                    if piece.layer in images
                ],
            }
            for frame in part.frames
        ]
        if part is not None
        else [],
    }


def _part(row: Row) -> Part | None:
    made = from_row_record(record_of(row))
    return made if isinstance(made, Part) else None


def record_of(row: Row) -> RowRecord:
    """A row as the core's value."""
    pivot = None if row.pivot_x is None or row.pivot_y is None else (row.pivot_x, row.pivot_y)
    margins = None if row.margins is None else Margins(*row.margins)
    anchor = None if row.anchor is None else Anchor(*row.anchor)
    return RowRecord(
        row.row, row.kind, row.group, row.name, row.shown, row.opacity, row.blend, row.isolated, row.included, row.locked,
        pivot, frames_from_json(row.frames), (row.offset_x, row.offset_y), row.loops, row.alternate,
        row.parent, row.depth, cast(Role, row.role), margins, anchor, row.beyond,
    )  # fmt: skip
