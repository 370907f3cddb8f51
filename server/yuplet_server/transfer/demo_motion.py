"""How the demo illustrations move when they are tried out for the first time."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from yuplet.rehearsal.motion.document import CAMERA, Key, Motion, MotionPath, Property, Stage, Track
from yuplet_server.arrangement import queries
from yuplet_server.arrangement.models import Arrangement
from yuplet_server.illustrations.models import Illustration
from yuplet_server.rehearsals.models import Motion as Kept

SOFT = "ease-in-out"
Keys = list[tuple[float, Any]]


@dataclass(frozen=True, slots=True)
class _Script:
    """What is played, by the names of rows with the groups around them; `front` stands for the part that lies in front."""

    stage: Stage
    keys: Mapping[tuple[str, Property], Keys]
    paths: Mapping[str, str] = field(default_factory=dict)


_FRONT = "front"
_BLINK: Keys = [(0, "eye open {side}"), (1.0, "eye closed {side}"), (1.125, "eye open {side}")]
_LINE: Keys = [(0, "mouth rest"), (2.0, "mouth wide"), (2.25, "mouth round"), (2.5, "mouth teeth"), (2.75, "mouth smile"), (3.5, "mouth rest")]  # fmt: skip

SCRIPTS: Mapping[str, _Script] = {
    "Brindle": _Script(
        Stage(duration=4.0),
        {
            ("Brindle/arm left/lower arm", "rotate"): [(0, 0.0), (1, -14.0), (2, 0.0), (3, 8.0), (4, 0.0)],
            ("Brindle/arm right/upper arm", "rotate"): [(0, 0.0), (2, 5.0), (4, 0.0)],
            ("Brindle/tail", "rotate"): [(0, 0.0), (1, 9.0), (3, -7.0), (4, 0.0)],
            ("Brindle/head/head", "rotate"): [(0, 0.0), (1.5, 3.0), (3, -2.0), (4, 0.0)],
            ("Brindle/head/mouths", "shown"): _LINE,
            **{
                (f"Brindle/head/eyes/eye {side}", "shown"): [(at, name.format(side=side)) for at, name in _BLINK]
                for side in ("left", "right")
            },
        },
    ),
    "Reed marsh": _Script(
        Stage(rate=25, duration=10.0), {(CAMERA, "camera"): [(0, (-200.0, 0.0, 0.0)), (10, (200.0, 0.0, 0.0))]}
    ),
    "Lever frame": _Script(
        Stage(duration=0.5, direction="alternate"), {("bell/bell dome", "rotate"): [(0, -6.0), (0.5, 6.0)]}
    ),
    "Semaphore lamp": _Script(
        Stage(duration=3.0),
        {("5 moth", "offset-distance"): [(0, 0.0), (3, 100.0)]},
        {"5 moth": "M 88 40 C 70 8 30 10 20 40 C 12 64 60 84 88 40"},
    ),
    "Waybill stamps": _Script(
        Stage(duration=3.0, iterations=1.0),
        {(_FRONT, "offset-distance"): [(0, 0.0), (3, 100.0)]},
        {_FRONT: "M 600 60 C 520 150 680 240 640 330 S 480 430 560 510"},
    ),
    "Tin inspector": _Script(Stage(duration=1.0, direction="alternate"), {(_FRONT, "rotate"): [(0, -2.0), (1, 2.0)]}),
}


def move(illustration: Illustration) -> None:
    """Give a demo illustration its motion; others have none."""
    script = SCRIPTS.get(illustration.name)
    if script is None:
        return
    tree = queries.tree_of(Arrangement.objects.get(pk=illustration.pk))
    parts = {"/".join((*(group.name for group in around), part.name)): part.id for around, part in tree.parts()}
    paths = {part: path for path, part in parts.items()}
    parts[_FRONT] = list(tree.parts())[-1][1].id

    def target(name: str, what: Property) -> str:
        return name if what in ("shown", "camera") else parts[name]

    tracks = [
        Track(
            target(name, what), what, tuple(Key(at, value, SOFT if what != "shown" else "linear") for at, value in keys)
        )
        for (name, what), keys in script.keys.items()
        if what in ("shown", "camera") or name in parts
    ]
    motion = Motion(
        stage=script.stage,
        tracks=tuple(sorted(tracks, key=lambda track: track.place)),
        paths=tuple(MotionPath(parts[name], data) for name, data in script.paths.items() if name in parts),
    )
    names = {track.target: paths[track.target].replace("/", " / ") for track in tracks if track.target in paths}
    Kept.objects.create(illustration=illustration, version=1, document=motion.as_json(), names=names)
