"""A motion written down, by the ending of the file: a film, or a file that plays it; what plays is read back and compared."""

import json
from collections.abc import Callable
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, Final, Literal, TypeAlias, cast

import numpy as np

from yuplet.errors import MotionError, shown
from yuplet.playable.elements import document_of
from yuplet.playable.laid import laid
from yuplet.playable.model import model
from yuplet.playable.page import drawing, page
from yuplet.rehearsal.film import Film
from yuplet.rehearsal.film_files import ENDINGS as FILM_ENDINGS
from yuplet.rehearsal.film_files import Kind as FilmKind
from yuplet.rehearsal.film_files import write_film
from yuplet.rehearsal.motion.document import Motion, motion_from_json
from yuplet.rehearsal.motion.rig import Rig
from yuplet.rehearsal.motion.sampling import sample
from yuplet.rehearsal.motion.timing import directed
from yuplet.rehearsal.picture import Scene
from yuplet.rehearsal.replayed import Replayed, replay_drawing, replay_model, replay_page

PlayableKind: TypeAlias = Literal["page", "drawing", "model", "motion"]
Kind: TypeAlias = FilmKind | PlayableKind
ENDINGS: Final[dict[Kind, str]] = {
    **cast(dict[Kind, str], FILM_ENDINGS),
    "page": ".html",
    "drawing": ".svg",
    "model": ".glb",
    "motion": ".json",
}
MOMENTS = 20
TOLERANCE = 0.05
"""Pixels by which a corner of a part may lie elsewhere: numbers in these files have nine digits, in a model seven."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Replay:
    """What came of reading a motion back: at so many `moments` no corner of a part lay elsewhere by more than `pixels`, and `differently` parts were seen
    where they should not be, or the other way round."""

    moments: int
    pixels: float
    differently: int

    @property
    def ok(self) -> bool:
        """Whether it is the motion that was to be written."""
        return self.pixels <= TOLERANCE and self.differently == 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Written:
    """A motion that was written: how many pictures, what the format cannot carry, and, of one that plays, the proof."""

    pictures: int
    notes: tuple[str, ...] = ()
    replay: Replay | None = None

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        proof = None if self.replay is None else {"ok": self.replay.ok, **asdict(self.replay)}
        return {"pictures": self.pictures, "notes": list(self.notes), "replay": proof}


def kind_of(path: Path) -> Kind:
    """The kind that a file's ending says. Raises `MotionError`."""
    for kind, ending in ENDINGS.items():
        if path.suffix.lower() == ending:
            return kind
    raise MotionError(f"'{shown(path.name)}' is no film. Give it one of the endings {', '.join(ENDINGS.values())}.")


def write_motion(
    scene: Scene,
    rig: Rig,
    motion: Motion,
    kind: Kind,
    path: Path,
    *,
    width: int | None = None,
    title: str = "",
    progress: Callable[[int, int], None] = lambda done, total: None,
) -> Written:
    """Write a motion to a file, which is there when all is in it.

    Parameters
    ----------
    scene, rig : Scene, Rig
        A package that was opened (`trying.opened_scene`).
    kind : str
        A film, or what plays the motion: a page, a drawing, a model, or the motion itself as JSON.
    width : int, optional
        Of a film, in pixels; the others are as large as the canvas.
    progress : callable
        Told (steps done, steps in all); may raise to stop.

    Raises
    ------
    MotionError
        It is too large for the format.
    """
    if kind in FILM_ENDINGS:
        film = Film(scene, rig, motion, width)
        write_film(film, kind, path, progress)
        return Written(pictures=film.count)
    progress(0, 2)
    data, notes = _made(scene, rig, motion, kind, title)
    progress(1, 2)
    unfinished = path.with_name(f".{path.name}")
    try:
        unfinished.write_bytes(data)
        unfinished.replace(path)
    finally:
        unfinished.unlink(missing_ok=True)
    replay = _replayed(scene, rig, motion, kind, path)
    progress(2, 2)
    return Written(pictures=motion.stage.frames, notes=notes, replay=replay)


def _made(scene: Scene, rig: Rig, motion: Motion, kind: Kind, title: str) -> tuple[bytes, tuple[str, ...]]:
    if kind == "motion":
        return json.dumps(motion.as_json(), ensure_ascii=False, indent=1).encode(), ()
    if kind == "model":
        return model(scene, rig, motion, title)
    document = document_of(scene, rig, motion)
    return (page if kind == "page" else drawing)(document, title), document.notes


def _replayed(scene: Scene, rig: Rig, motion: Motion, kind: Kind, path: Path) -> Replay:
    stage = motion.stage
    turns = min(2.0 if stage.direction.startswith("alternate") else 1.0, stage.iterations or 2.0)
    times = np.unique(np.linspace(0, max(0, stage.frames * turns - 1), MOMENTS).round()) / stage.rate
    moments = directed(times, stage.duration, stage.iterations, stage.direction, "both")
    told = sample(motion, rig, moments)
    if kind == "motion":
        again = sample(motion_from_json(json.loads(path.read_bytes())), rig, moments)
        found = Replayed({part.id: again.maps[:, at] for at, part in enumerate(rig.parts)}, {})
    elif kind == "model":
        found = replay_model(path, times, scene.height)
    else:
        found = (replay_page if kind == "page" else replay_drawing)(path, times)
    apart, differently = 0.0, 0
    where = {part.id: at for at, part in enumerate(rig.parts)}
    for part_id, maps in found.maps.items():
        left, top, width, height = rig.by_id[part_id].box
        corners = np.array([[left, top, 1], [left + width, top, 1], [left, top + height, 1]], np.float64).T
        for number in range(len(times)):
            if part_id not in found.seen or found.seen[part_id][number]:
                own, other = (one[number].reshape(3, 2).T @ corners for one in (maps, told.maps[:, where[part_id]]))
                apart = max(apart, float(np.abs(own - other).max()))
    if kind != "motion":
        shown_parts, never = laid(scene, rig, told.members).shown, np.zeros(len(times), bool)
        differently = sum(
            bool((found.seen.get(part_id, never) != shown_parts[:, where[part_id]]).any()) for part_id in scene.placed
        )
    return Replay(moments=len(times), pixels=round(apart, 6), differently=differently)
