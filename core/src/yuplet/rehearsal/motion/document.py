"""A motion: how long it is, how it is played, and the keys of each part. It is a document of its own beside the package.

Properties have the names of W3C CSS Transforms Level 2 and CSS Color: `translate` (pixels of the canvas, x to the right and y down),
`rotate` (degrees, clockwise), `scale` (factors across and down), `opacity` (a factor of the part's own). `shown` is the member of a set of
alternates, or the look, that is seen. `offset-distance` is how far along its path a part is, in hundredths of the path's length (W3C Motion Path).
`camera` is where the camera stands: pixels to the right, down, and towards the picture. `ground` is the colour behind everything.
"""

import builtins
import re
from collections.abc import Mapping
from dataclasses import field, replace
from functools import cache
from typing import Annotated, Any, Final, Literal, TypeAlias

from pydantic import ConfigDict, Field, StrictStr, TypeAdapter, ValidationError
from pydantic.dataclasses import dataclass

from yuplet.documents import first_fault
from yuplet.errors import MotionError, shown
from yuplet.rehearsal.motion.easing import LONGEST, easing
from yuplet.rehearsal.motion.path import MOST_DATA, measured
from yuplet.rehearsal.motion.timing import Direction, Fill

CONFIG = ConfigDict(extra="forbid", allow_inf_nan=False, json_schema_serialization_defaults_required=True)
"""How values are checked, wherever they come from."""
MOST_SECONDS = 600.0
MOST_RATE = 120
MOST_ITERATIONS = 10_000.0
MOST_KEYS = 20_000
MOST_TRACKS = 20_000
MOST_IN_ALL = 100_000
"""Keys of all tracks together: pasting could double them with every step."""
MOST_PATHS = 1000
LONGEST_NAME = 2000

Property: TypeAlias = Literal["translate", "rotate", "scale", "opacity", "shown", "offset-distance", "camera", "ground"]
Seconds: TypeAlias = Annotated[float, Field(ge=0, le=MOST_SECONDS)]
Number: TypeAlias = Annotated[float, Field(ge=-1e6, le=1e6)]
Pair: TypeAlias = tuple[Number, Number]
Name: TypeAlias = Annotated[StrictStr, Field(min_length=1, max_length=LONGEST_NAME)]
Triple: TypeAlias = tuple[Number, Number, Number]
Value: TypeAlias = Number | Pair | Triple | Name
Place: TypeAlias = tuple[str, Property]
"""Of a track: what it moves, and which property."""

CAMERA, GROUND = "@camera", "@stage"
"""What the tracks of the camera and of the ground are about: no part is called so."""
REST: Final[Mapping[Property, Value]] = {"translate": (0.0, 0.0), "rotate": 0.0, "scale": (1.0, 1.0), "opacity": 1.0}
"""What a part has that nobody has moved; of a set of alternates the member that the package shows."""
STILL: Final[Mapping[Property, Value]] = {**REST, "offset-distance": 0.0, "camera": (0.0, 0.0, 0.0)}
"""The same of everything that has numbers."""
_COLOUR = re.compile("#[0-9a-f]{6}")


@dataclass(frozen=True, slots=True, config=CONFIG)
class Key:
    """What a property is at a time, in seconds, and the CSS easing from there to the next key."""

    at: Seconds
    value: Value
    easing: Annotated[StrictStr, Field(max_length=LONGEST)] = "linear"

    def __post_init__(self) -> None:
        easing(self.easing)
        # So that times that were computed in two ways are the same key.
        object.__setattr__(self, "at", round(self.at, 6))


@dataclass(frozen=True, slots=True, config=CONFIG)
class Track:
    """The keys of one property of one part (its id) or set of alternates (its path), in the order of their times.

    With one key it is a pose: it holds for all the time.
    """

    target: Name
    property: Property
    keys: Annotated[tuple[Key, ...], Field(min_length=1, max_length=MOST_KEYS)]

    def __post_init__(self) -> None:
        for key in self.keys:
            require_value(self.property, key.value, self.target)
        times = [key.at for key in self.keys]
        if times != sorted(set(times)):
            raise MotionError(
                f"The keys of '{shown(self.target)}' do not follow each other in time, or two are at the same time."
            )

    @builtins.property
    def place(self) -> Place:
        """What tells it from all other tracks."""
        return (self.target, self.property)


@dataclass(frozen=True, slots=True, config=CONFIG)
class MotionPath:
    """A path that a part can go along, as SVG path data in pixels of the canvas. It `turns` with the path, by so many degrees more, or (null) does not."""

    target: Name
    data: Annotated[StrictStr, Field(min_length=1, max_length=MOST_DATA)]
    turns: Annotated[float, Field(ge=-360, le=360)] | None = 0.0

    def __post_init__(self) -> None:
        measured(self.data)


@dataclass(frozen=True, slots=True, kw_only=True, config=CONFIG)
class Stage:
    """How a motion is played: pictures a second, seconds of one iteration, how often (None: without end), direction and fill as W3C Web
    Animations has them, and the colour behind it ("#rrggbb"; None: transparent)."""

    rate: Annotated[int, Field(ge=1, le=MOST_RATE)] = 24
    duration: Annotated[float, Field(gt=0, le=MOST_SECONDS)] = 2.0
    iterations: Annotated[float, Field(gt=0, le=MOST_ITERATIONS)] | None = None
    direction: Direction = "normal"
    fill: Fill = "both"
    ground: Annotated[StrictStr, Field(pattern="^#[0-9a-f]{6}$")] | None = None

    def __post_init__(self) -> None:
        if self.duration * self.rate < 1:
            raise MotionError(
                f"{self.duration} s are less than one picture at {self.rate} a second. Make the motion longer."
            )

    @property
    def frames(self) -> int:
        """How many pictures one iteration has; the last one begins the next iteration."""
        return max(1, round(self.duration * self.rate))


@dataclass(frozen=True, slots=True, kw_only=True, config=CONFIG)
class Motion:
    """All of it. Tracks are ordered by target and property, paths by target, each once."""

    stage: Stage = field(default_factory=Stage)
    tracks: Annotated[tuple[Track, ...], Field(max_length=MOST_TRACKS)] = ()
    paths: Annotated[tuple[MotionPath, ...], Field(max_length=MOST_PATHS)] = ()

    def __post_init__(self) -> None:
        targets = [path.target for path in self.paths]
        if targets != sorted(set(targets)):
            raise MotionError("The paths are not in order, or one is there twice.")
        places = [track.place for track in self.tracks]
        if places != sorted(set(places)):
            raise MotionError("The tracks are not in order, or one is there twice.")
        if (keys := sum(len(track.keys) for track in self.tracks)) > MOST_IN_ALL:
            raise MotionError(f"The motion would have {keys:,} keys; it may have {MOST_IN_ALL:,}. Remove some first.")

    def track(self, place: Place) -> Track | None:
        """The track of a property, if it has one."""
        return self.by_place().get(place)

    def by_place(self) -> dict[Place, Track]:
        """All tracks by what they move."""
        return {track.place: track for track in self.tracks}

    def with_tracks(self, changed: Mapping[Place, Track | None]) -> "Motion":
        """The same with some tracks replaced, added, or (None) taken away."""
        found: dict[Place, Track | None] = {**self.by_place(), **changed}
        return replace(self, tracks=tuple(track for _, track in sorted(found.items()) if track is not None))

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        return dict(_adapter().dump_python(self, mode="json"))


def require_value(property: Property, value: Value, target: str) -> None:
    """Raise `MotionError` where a property cannot have such a value."""
    match property:
        case "translate" | "scale":
            right = isinstance(value, tuple) and len(value) == 2
        case "camera":
            right = isinstance(value, tuple) and len(value) == 3
        case "shown":
            right = isinstance(value, str)
        case "ground":
            right = isinstance(value, str) and _COLOUR.fullmatch(value) is not None
        case "offset-distance":
            right = isinstance(value, float | int) and 0 <= value <= 100
        case "opacity":
            right = isinstance(value, float | int) and 0 <= value <= 1
        case _:
            right = isinstance(value, float | int)
    if not right:
        needed = {
            "translate": "two numbers",
            "scale": "two numbers",
            "camera": "three numbers",
            "shown": "a name",
            "ground": "a colour like #2f6f8f",
            "opacity": "a number from 0 to 1",
            "offset-distance": "a number from 0 to 100",
        }
        raise MotionError(
            f"'{property}' of '{shown(target)}' is {needed.get(property, 'a number')}, not {shown(str(value))}."
        )


def motion_from_json(value: Any) -> Motion:
    """A motion from plain JSON values; raises `MotionError` for anything that is not one."""
    try:
        return _adapter().validate_python(value)
    except ValidationError as error:
        raise MotionError(f"The motion cannot be read: {first_fault(error, value)}.") from error


def motion_schema(reference: str = "#/$defs/{model}") -> dict[str, Any]:
    """What keeps to the form of a motion, as JSON Schema 2020-12."""
    return _adapter().json_schema(mode="serialization", ref_template=reference)


@cache
def _adapter() -> TypeAdapter[Motion]:
    return TypeAdapter(Motion)
