from typing import Any, get_args

from rest_framework import serializers

from yuplet.playable.written import ENDINGS
from yuplet.rehearsal.film import MOST_SIDE
from yuplet.rehearsal.lining_up import FARTHEST, LARGEST
from yuplet.rehearsal.loose_files import MOST_FILES
from yuplet.rehearsal.motion.camera import Side
from yuplet.rehearsal.motion.commands import command_from_json, commands_schema
from yuplet.rehearsal.motion.document import motion_schema
from yuplet.rehearsal.motion.fitting import How
from yuplet.rehearsal.picture import Way
from yuplet.rehearsal.screens import Kind as ScreenFinding
from yuplet_server.arrangement.fields import REFERENCE, CommandField
from yuplet_server.base.fields import NameField
from yuplet_server.handovers.serializers import ComparisonSerializer, InventorySerializer
from yuplet_server.jobs.serializers import JobSerializer
from yuplet_server.rehearsals.models import Film, Rehearsal

WAYS = get_args(Way)
SIDES = get_args(Side)
FILM_KINDS = tuple(ENDINGS)
SCREEN_FINDINGS = get_args(ScreenFinding)
MOST_ACROSS = 4096


class LaidSerializer(serializers.Serializer[Any]):
    """Where an image lies: mirrored left to right, if at all, then turned clockwise by `quarters`, then `scale` times as large, its top left corner at x, y."""

    file = serializers.CharField(max_length=900)
    x = serializers.IntegerField(min_value=-FARTHEST, max_value=FARTHEST)
    y = serializers.IntegerField(min_value=-FARTHEST, max_value=FARTHEST)
    mirrored = serializers.BooleanField()
    quarters = serializers.IntegerField(min_value=0, max_value=3)
    scale = serializers.FloatField(min_value=1 / LARGEST, max_value=LARGEST)


class ReadingSerializer(serializers.Serializer[Any]):
    """How a package is to be read; what is not said is proposed from what is found."""

    manifest = serializers.CharField(
        max_length=900, required=False, allow_null=True, default=None, help_text="That of another scale."
    )
    way = serializers.ChoiceField(choices=WAYS, required=False, allow_null=True, default=None)
    columns = serializers.IntegerField(
        min_value=1,
        max_value=MOST_ACROSS,
        required=False,
        allow_null=True,
        default=None,
        help_text="Of a sheet of frames.",
    )
    rows = serializers.IntegerField(min_value=1, max_value=MOST_ACROSS, required=False, allow_null=True, default=None)
    reference = serializers.CharField(
        max_length=900,
        required=False,
        allow_null=True,
        default=None,
        help_text="The file of the package to compare with.",
    )
    places = serializers.ListField(
        child=LaidSerializer(),
        required=False,
        allow_null=True,
        default=None,
        max_length=MOST_FILES,
        help_text="Of images that are lined up, back to front; without, they are proposed.",
    )
    step = serializers.FloatField(
        min_value=1,
        max_value=FARTHEST,
        default=100.0,
        help_text="Between planes that no manifest puts into depth, in pixels.",
    )
    distance = serializers.FloatField(
        min_value=1, max_value=FARTHEST, default=1000.0, help_text="Of the camera before the front-most of them."
    )
    package = serializers.BooleanField(
        default=False, help_text="Whether images that are lined up are written as a package, with a manifest."
    )


class OpenSerializer(ReadingSerializer):
    hand_over = serializers.IntegerField(min_value=1)


class OutsideSerializer(serializers.Serializer[Any]):
    file = serializers.ListField(
        child=serializers.FileField(),
        min_length=1,
        max_length=2000,
        help_text="One archive, or the files of a package.",
    )
    path = serializers.ListField(child=serializers.CharField(max_length=1000), required=False, max_length=2000)
    together = serializers.CharField(max_length=200, required=False, default="")


class TriedMomentSerializer(serializers.Serializer[Any]):
    """A picture of an animated part, and for how long it is seen."""

    picture = serializers.CharField()
    milliseconds = serializers.IntegerField(allow_null=True)


class TriedGroupSerializer(serializers.Serializer[Any]):
    """A group of parts; `group` is the number of the one around it. Of a set one member is seen at a time."""

    path = serializers.CharField()
    name = serializers.CharField(allow_blank=True)
    group = serializers.IntegerField(allow_null=True)
    is_on = serializers.BooleanField()
    opacity = serializers.FloatField()
    blend = serializers.CharField()
    isolated = serializers.BooleanField()
    is_set = serializers.BooleanField()


class TriedPartSerializer(serializers.Serializer[Any]):
    """A part as the receiver finds it, in pixels of the canvas, y down."""

    id = serializers.CharField()
    name = serializers.CharField()
    left = serializers.IntegerField()
    top = serializers.IntegerField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    shown = serializers.BooleanField()
    is_missing = serializers.BooleanField()
    is_on = serializers.BooleanField(help_text="Its own switch; `shown` looks at the groups around it too.")
    group = serializers.IntegerField(allow_null=True, help_text="The number of the innermost group around it.")
    opacity = serializers.FloatField()
    blend = serializers.CharField()
    pivot = serializers.ListField(
        child=serializers.FloatField(), min_length=2, max_length=2, allow_null=True, help_text="On the canvas."
    )
    parent = serializers.CharField(  # type: ignore[assignment]  # a field's own `parent` is another thing
        allow_null=True, help_text="The part that carries it along."
    )
    picture = serializers.CharField(allow_null=True)
    moments = TriedMomentSerializer(many=True)
    loops = serializers.IntegerField(help_text="How often the moments are played; 0: without end.")
    depth = serializers.FloatField(help_text="How far it stands behind the picture plane, in pixels.")
    role = serializers.CharField(help_text="What it is for.")
    anchor = serializers.ListField(
        child=serializers.FloatField(),
        min_length=2,
        max_length=2,
        allow_null=True,
        help_text="The place of a screen, 0 to 1, that it keeps its distance to.",
    )
    margins = serializers.ListField(
        child=serializers.FloatField(),
        min_length=4,
        max_length=4,
        allow_null=True,
        help_text="What is not stretched of it: left, top, right, bottom.",
    )

    def to_representation(self, instance: Any) -> dict[str, Any]:
        """What was found before anything could move says nothing of it."""
        return super().to_representation({**_STILL, "is_on": instance["shown"], **instance})


_STILL: dict[str, Any] = {
    "group": None,
    "opacity": 1.0,
    "blend": "normal",
    "pivot": None,
    "parent": None,
    "picture": None,
    "moments": [],
    "loops": 0,
    "depth": 0.0,
    "role": "picture",
    "anchor": None,
    "margins": None,
}


class ProposalSerializer(serializers.Serializer[Any]):
    """Where an image seems to lie (null: nowhere), the share of its pixels that agree there, and how certain that is: half as much where another place agrees
    as well."""

    file = serializers.CharField()
    laid = LaidSerializer(allow_null=True)
    share = serializers.FloatField()
    certainty = serializers.FloatField()


class LooseImageSerializer(serializers.Serializer[Any]):
    """An image that may be lined up, in the picture of that name."""

    file = serializers.CharField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    picture = serializers.CharField()


class TrialSerializer(serializers.Serializer[Any]):
    """What came of opening a package."""

    ok = serializers.BooleanField()
    way = serializers.ChoiceField(choices=WAYS)
    ways = serializers.ListField(child=serializers.ChoiceField(choices=WAYS))
    has_manifest = serializers.BooleanField()
    scale = serializers.FloatField()
    scales = serializers.DictField(
        child=serializers.FloatField(), help_text="The scales that there are, by their manifests."
    )
    reference = serializers.CharField(allow_null=True)
    references = serializers.ListField(child=serializers.CharField(), help_text="Images that it may be compared with.")
    too_large = serializers.ListField(child=serializers.CharField())
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    parts = TriedPartSerializer(many=True)
    groups = TriedGroupSerializer(many=True, help_text="Each before those in it.")
    distance = serializers.FloatField(
        allow_null=True, help_text="Of the camera from the picture plane; null: the package has none."
    )
    travel = serializers.FloatField(allow_null=True, help_text="How far the camera may move sideways in all.")
    inventory = InventorySerializer()
    comparison = ComparisonSerializer(allow_null=True)
    images = LooseImageSerializer(many=True, help_text="Those that may be lined up.")
    places = LaidSerializer(many=True, help_text="Where those lie that were put together, back to front.")
    proposals = ProposalSerializer(many=True, help_text="Where each seems to lie.")

    def to_representation(self, instance: Any) -> dict[str, Any]:
        """What was found before images could be lined up says nothing of it."""
        return super().to_representation(
            {"groups": [], "distance": None, "travel": None, "images": [], "places": [], "proposals": [], **instance}
        )


class MotionField(CommandField):
    """A motion (docs/formats/motion.md)."""

    component = "MotionDocument"

    @staticmethod
    def schema() -> dict[str, Any]:
        return motion_schema(REFERENCE)


class MotionCommandField(CommandField):
    """What is done to a motion: an object whose `do` says which other fields it has."""

    component = "MotionCommand"

    def to_internal_value(self, data: Any) -> Any:
        return command_from_json(data)

    @staticmethod
    def schema() -> dict[str, Any]:
        return commands_schema(REFERENCE)


class RunsOutSerializer(serializers.Serializer[Any]):
    """A plane that ends within the picture while the camera moves: on which side, at which picture most, and by how many pixels there."""

    part = serializers.CharField()
    side = serializers.ChoiceField(choices=SIDES)
    picture = serializers.IntegerField()
    at = serializers.FloatField()
    pixels = serializers.FloatField()


class MotionSerializer(serializers.Serializer[Any]):
    """How the parts move; `undo` and `redo` name the step, or are null. `lost` names parts and sets that the motion moves and this package does not have: they
    are kept. `runs_out` are planes that do not cover the picture all the time."""

    runs_out = RunsOutSerializer(many=True)

    version = serializers.IntegerField()
    motion = MotionField()
    undo = serializers.CharField(allow_null=True)
    redo = serializers.CharField(allow_null=True)
    lost = serializers.ListField(child=serializers.CharField())


class MotionRepeatSerializer(serializers.Serializer[Any]):
    """`id` is made by whoever asks, anew for each request: sent again, it does nothing twice."""

    id = serializers.UUIDField(required=False)


class MotionStepSerializer(MotionRepeatSerializer):
    version = serializers.IntegerField(min_value=0, help_text="The version that was looked at.")
    command = MotionCommandField()


class PlacedPieceSerializer(serializers.Serializer[Any]):
    """Where a part lies on a screen, in its pixels. With `margins` (left, top, right, bottom) it is stretched between these."""

    id = serializers.CharField()
    left = serializers.FloatField()
    top = serializers.FloatField()
    width = serializers.FloatField()
    height = serializers.FloatField()
    margins = serializers.ListField(child=serializers.FloatField(), allow_null=True)


class ScreenFindingSerializer(serializers.Serializer[Any]):
    """What is wrong with a part on a screen, and by how many pixels; `other` is the press target that it overlaps."""

    kind = serializers.ChoiceField(choices=SCREEN_FINDINGS)
    part = serializers.CharField()
    other = serializers.CharField(allow_null=True)
    pixels = serializers.FloatField()


class ScreenSerializer(serializers.Serializer[Any]):
    """A package on a screen of another size, back to front."""

    width = serializers.IntegerField()
    height = serializers.IntegerField()
    places = PlacedPieceSerializer(many=True)
    findings = ScreenFindingSerializer(many=True)


class KeepMotionSerializer(serializers.Serializer[Any]):
    """Under which name a motion is kept on one's own shelf."""

    name = NameField(max_length=255)


class LayMotionSerializer(MotionRepeatSerializer):
    version = serializers.IntegerField(min_value=0, help_text="The version that was looked at.")


class FoundPartSerializer(serializers.Serializer[Any]):
    kept = serializers.CharField()
    name = serializers.CharField()
    found_by = serializers.ChoiceField(choices=get_args(How))


class MotionFitSerializer(serializers.Serializer[Any]):
    """What stands in a package for what a kept motion moves, and what has no counterpart."""

    pairs = FoundPartSerializer(many=True)
    left = serializers.ListField(child=serializers.CharField())


class ChangesSerializer(serializers.Serializer[Any]):
    """Names of parts that are otherwise than in the hand-over `since` which it was compared with (null: there is none); how many are the `same`."""

    since = serializers.IntegerField(allow_null=True)
    changed = serializers.ListField(child=serializers.CharField(), help_text="With other pixels.")
    new = serializers.ListField(child=serializers.CharField())
    gone = serializers.ListField(child=serializers.CharField())
    other_pivot = serializers.ListField(child=serializers.CharField())
    other_box = serializers.ListField(child=serializers.CharField())
    other_parent = serializers.ListField(child=serializers.CharField())
    by_name = serializers.ListField(child=serializers.CharField(), help_text="Found again by their names alone.")
    same = serializers.IntegerField()


class AskFilmSerializer(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(choices=FILM_KINDS)
    width = serializers.IntegerField(
        min_value=1, max_value=MOST_SIDE, allow_null=True, default=None, help_text="In pixels; without, as the canvas."
    )


class ReplaySerializer(serializers.Serializer[Any]):
    """At so many `moments` no corner of a part lay elsewhere by more than `pixels`, and `differently` parts were seen where they should not be."""

    ok = serializers.BooleanField()
    moments = serializers.IntegerField()
    pixels = serializers.FloatField()
    differently = serializers.IntegerField()


class FilmSerializer(serializers.ModelSerializer[Film]):
    """A motion written down: its job while it is drawn, `bytes` and `pictures` once it is done. `notes` are what the format cannot carry; `replay` is what came of reading a
    file that plays the motion back (null for films)."""

    kind = serializers.ChoiceField(choices=FILM_KINDS, read_only=True)
    notes = serializers.ListField(child=serializers.CharField(), read_only=True)
    replay = ReplaySerializer(read_only=True, allow_null=True)
    job = JobSerializer(read_only=True, allow_null=True)

    class Meta:
        model = Film
        fields = ["id", "kind", "width", "bytes", "pictures", "notes", "replay", "job", "created_at"]
        read_only_fields = fields


class ListedRehearsalSerializer(serializers.ModelSerializer[Rehearsal]):
    """A package that is tried out, without what came of it."""

    number = serializers.IntegerField(source="hand_over.number", default=None, allow_null=True, read_only=True)
    reading = ReadingSerializer(read_only=True)
    job = JobSerializer(read_only=True, allow_null=True)
    created_by = serializers.CharField(source="created_by.username", default=None, allow_null=True, read_only=True)

    class Meta:
        model = Rehearsal
        fields = ["id", "hand_over", "number", "name", "bytes", "reading", "job", "created_by", "created_at"]
        read_only_fields = fields


class RehearsalSerializer(ListedRehearsalSerializer):
    """A package that is tried out: its job while it is opened, what came of it afterwards."""

    result = TrialSerializer(allow_null=True, read_only=True)
    pictures = serializers.DictField(child=serializers.CharField(), read_only=True)

    class Meta(ListedRehearsalSerializer.Meta):
        fields = [*ListedRehearsalSerializer.Meta.fields, "result", "pictures"]
        read_only_fields = fields
