from typing import Any, get_args

from rest_framework import serializers

from yuplet.arrangement.naming.rules import KINDS as NAME_CHANGES
from yuplet.arrangement.naming.rules import From, Letters, Matching, Side
from yuplet.arrangement.naming.sides import Kind as SeriesKind
from yuplet.arrangement.tree import Meaning
from yuplet.editing.looking_over import SMALLEST
from yuplet.findings.finding import Kind, Severity
from yuplet.illustration.matching import Change
from yuplet.parts.part import Role
from yuplet_server.arrangement.fields import CommandField, EdgeField, GesturesField
from yuplet_server.arrangement.models import Row

FINDING_KINDS = get_args(Kind)


class PieceSerializer(serializers.Serializer[Any]):
    """A layer as it is laid within a part; `image` is a digest, `box` is x, y, width, height on the canvas.

    `vector` is whether it can be drawn anew at another scale.
    """

    layer = serializers.CharField()
    image = serializers.CharField()
    vector = serializers.BooleanField()
    box = serializers.ListField(child=serializers.IntegerField())
    opacity = serializers.FloatField()
    blend = serializers.CharField()


class FrameSerializer(serializers.Serializer[Any]):
    """One moment of a part, its pieces back to front."""

    milliseconds = serializers.IntegerField(allow_null=True)
    pieces = PieceSerializer(many=True)


class DecidedSerializer(serializers.Serializer[Any]):
    """What was decided about a part or a group. `loops` is how often frames are played, 0 for without end."""

    id = serializers.CharField()
    group = serializers.CharField(allow_null=True)
    name = serializers.CharField()
    shown = serializers.BooleanField()
    included = serializers.BooleanField()
    opacity = serializers.FloatField()
    blend = serializers.CharField()
    isolated = serializers.BooleanField()
    alternate = serializers.CharField(allow_null=True, help_text="The member that is shown of a set of alternates.")
    locked = serializers.BooleanField()
    pivot = serializers.ListField(
        child=serializers.FloatField(), allow_null=True, help_text="What it turns about, in pixels of the canvas."
    )
    parent = serializers.CharField(  # type: ignore[assignment]  # a field's own `parent` is another thing
        allow_null=True, help_text="The part that carries it."
    )
    depth = serializers.FloatField(help_text="How far behind the picture plane it stands, in pixels.")
    role = serializers.ChoiceField(choices=get_args(Role))
    margins = serializers.ListField(
        child=serializers.IntegerField(), allow_null=True, help_text="Left, top, right, bottom: not to be stretched."
    )
    anchor = serializers.ListField(
        child=serializers.FloatField(), allow_null=True, help_text="The place of the screen it keeps its distance to."
    )
    loops = serializers.IntegerField()


class RowSerializer(DecidedSerializer):
    """A part or a group as the ledger shows it; `box` is x, y, width, height around all frames.

    A still part has one frame, a group none.
    """

    kind = serializers.ChoiceField(choices=Row.Kind.choices)
    box = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    offset = serializers.ListField(child=serializers.IntegerField())
    layer_number = serializers.IntegerField(
        allow_null=True, help_text="The number of its layer in the art, from the back."
    )
    vector = serializers.BooleanField(help_text="Whether it is drawn from vector art.")
    words = serializers.CharField(help_text="What is written in it, where the file says so.")
    flagged = serializers.BooleanField(help_text="Whether its name is provisional, or its place proposed.")
    thumbnail = serializers.CharField(allow_null=True)
    frames = FrameSerializer(many=True)


class DecisionsSerializer(serializers.Serializer[Any]):
    """What was decided once for all rows (`yuplet.arrangement.tree.Decisions`)."""

    required = serializers.ListField(child=serializers.CharField())  # type: ignore[assignment]
    meanings = serializers.DictField(child=serializers.ChoiceField(choices=get_args(Meaning)))
    sides = serializers.ListField(
        child=serializers.ListField(child=serializers.CharField(), min_length=2, max_length=2)
    )
    distance = serializers.FloatField()
    travel = serializers.FloatField()


class ArrangementSerializer(serializers.Serializer[Any]):
    """All rows back to front, a group directly before its members; `undo` and `redo` name the step, or are null."""

    version = serializers.IntegerField()
    alone = serializers.CharField(allow_null=True)
    undo = serializers.CharField(allow_null=True)
    redo = serializers.CharField(allow_null=True)
    revision = serializers.IntegerField()
    decisions = DecisionsSerializer()
    rows = RowSerializer(many=True)


class StepAnswerSerializer(ArrangementSerializer):
    """What has changed since the version that was looked at: `rows` that are new or look different, of others what was `decided`, `order`
    where rows came, went or moved.

    `made` are the rows that the step made, in order.
    """

    decided = DecidedSerializer(many=True)
    order = serializers.ListField(child=serializers.CharField(), allow_null=True)
    made = serializers.ListField(child=serializers.CharField())


class RepeatSerializer(serializers.Serializer[Any]):
    """`id` is made by whoever asks, anew for each request: sent again, it does nothing twice."""

    id = serializers.UUIDField(required=False)
    version = serializers.IntegerField(
        min_value=0, help_text="The version that was looked at: what has changed since is answered."
    )


class StepSerializer(RepeatSerializer):
    command = CommandField()


class NameChangeSerializer(serializers.Serializer[Any]):
    """A change of many names; `do` says which of the other fields is used (`yuplet.arrangement.naming.rules`)."""

    do = serializers.ChoiceField(choices=[*NAME_CHANGES])
    find = serializers.CharField(required=False, allow_blank=True, trim_whitespace=False)
    by = serializers.CharField(required=False, allow_blank=True, trim_whitespace=False)
    matching = serializers.ChoiceField(choices=get_args(Matching), required=False)
    as_written = serializers.BooleanField(required=False)
    letters = serializers.ChoiceField(choices=get_args(Letters), required=False)
    text = serializers.CharField(required=False, allow_blank=True, trim_whitespace=False)
    side = serializers.ChoiceField(choices=get_args(Side), required=False)
    start = serializers.IntegerField(required=False)
    width = serializers.IntegerField(required=False)
    separator = serializers.CharField(required=False, allow_blank=True, trim_whitespace=False)
    counted = serializers.ChoiceField(choices=get_args(From), required=False)
    anew = serializers.BooleanField(required=False)
    instead = serializers.BooleanField(required=False)
    listed = serializers.ListField(child=serializers.CharField(allow_blank=True), required=False)


class AskNamesSerializer(serializers.Serializer[Any]):
    """Rows in the order in which they were chosen, and what is done with their names, one after the other."""

    rows = serializers.ListField(child=serializers.CharField())
    changes = NameChangeSerializer(many=True)


class RenamingSerializer(serializers.Serializer[Any]):
    """What a row is called and would be; `problem` says why it cannot be, `proposal` is a name that can; `note` says which letters look like
    others.
    """

    row = serializers.CharField()
    old = serializers.CharField()
    new = serializers.CharField()
    problem = serializers.CharField(allow_null=True)
    proposal = serializers.CharField(allow_null=True)
    note = serializers.CharField(allow_null=True)


class SelectionSerializer(serializers.Serializer[Any]):
    """Gestures on a part, each changing what the ones before have chosen."""

    row = serializers.CharField()
    gestures = GesturesField()
    edge = EdgeField(required=False)
    frame = serializers.IntegerField(default=0, min_value=0, help_text="Which moment of an animated part, from 0.")


class SelectedSerializer(serializers.Serializer[Any]):
    """What is chosen: pixels, box on the canvas (x, y, width, height), and a PNG of that box whose alpha is the mask.

    `of` is how many pixels the part has in all.
    """

    pixels = serializers.IntegerField()
    of = serializers.IntegerField()
    box = serializers.ListField(child=serializers.IntegerField())
    mask = serializers.CharField(help_text="PNG in Base64.")


class AskIslandsSerializer(serializers.Serializer[Any]):
    row = serializers.CharField()
    gap = serializers.FloatField(default=0.0, min_value=0, max_value=200)
    smallest = serializers.IntegerField(default=1, min_value=1)


class RowOnlySerializer(serializers.Serializer[Any]):
    row = serializers.CharField()


class ProposalsSerializer(serializers.Serializer[Any]):
    """Nested regions of a part. `labels` is a PNG of its box: red + 256 x green is the finest region of a pixel, from 1.

    `parents[i]` is the region that region i becomes part of (itself: never); merged regions are counted on from `count`, in the
    order in which they are made.
    """

    box = serializers.ListField(child=serializers.IntegerField())
    count = serializers.IntegerField()
    parents = serializers.ListField(child=serializers.IntegerField())
    labels = serializers.CharField(help_text="PNG in Base64.")


class PieceOfArtSerializer(serializers.Serializer[Any]):
    pixels = serializers.IntegerField()
    box = serializers.ListField(child=serializers.IntegerField())
    mask = serializers.CharField(help_text="PNG in Base64.")


class IslandsSerializer(serializers.Serializer[Any]):
    """Separate pieces of a part as they would become parts; `crumbs` is how many belong to a larger one nearby."""

    pieces = PieceOfArtSerializer(many=True)
    crumbs = serializers.IntegerField()


class DifferenceSerializer(serializers.Serializer[Any]):
    """The parts that are included and shown against what was brought in: `differing` of so many `pixels`, by at most `largest` of 255."""

    pixels = serializers.IntegerField()
    differing = serializers.IntegerField()
    largest = serializers.IntegerField()
    mask = serializers.CharField(help_text="PNG of the canvas in Base64 whose alpha is where they differ.")


class PictureSerializer(RepeatSerializer):
    """A picture, and the row that it is put in front of, in the middle of which it lies; with `instead` it takes the place of the
    picture of that row, which keeps all else.
    """

    file = serializers.FileField(max_length=255)
    row = serializers.CharField(required=False, allow_blank=True)
    instead = serializers.BooleanField(default=False)


class AskLimbSerializer(serializers.Serializer[Any]):
    row = serializers.CharField()
    at = serializers.ListField(child=serializers.FloatField(), min_length=2, max_length=2)


class LimbSerializer(serializers.Serializer[Any]):
    """Half the width of a part across the way to its middle, in pixels, and half of how far its two sides differ."""

    radius = serializers.FloatField()
    deviation = serializers.FloatField()


class AskFindingsSerializer(serializers.Serializer[Any]):
    """From how many pixels on a piece or a hole is meant, and by how many levels of 255 the same drawing may differ."""

    smallest = serializers.IntegerField(default=SMALLEST, min_value=1, max_value=1_000_000)
    tolerance = serializers.IntegerField(default=0, min_value=0, max_value=64)


class FindingSerializer(serializers.Serializer[Any]):
    """Something to look at: the parts that it concerns, the one to be mended first, and where it is.

    `frame` is which moment of an animated part, from 0; `layer` the layer of the source whose art is in no part.
    """

    kind = serializers.ChoiceField(choices=FINDING_KINDS)
    severity = serializers.ChoiceField(choices=get_args(Severity))
    rows = serializers.ListField(child=serializers.CharField())
    sentence = serializers.CharField()
    box = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    mask = serializers.CharField(allow_null=True, help_text="PNG of the box in Base64 whose alpha is where it is.")
    pixels = serializers.IntegerField()
    frame = serializers.IntegerField(allow_null=True)
    layer = serializers.CharField(allow_null=True)
    proposal = serializers.CharField(allow_null=True, help_text="A better name.")


class SeriesSerializer(serializers.Serializer[Any]):
    """Parts whose names differ in a side, a number or a letter only; `meaning` is null until somebody has said."""

    kind = serializers.ChoiceField(choices=get_args(SeriesKind))
    key = serializers.CharField()
    label = serializers.CharField()  # type: ignore[assignment]
    rows = serializers.ListField(child=serializers.CharField())
    meaning = serializers.ChoiceField(choices=get_args(Meaning), allow_null=True)
    lacks = serializers.ChoiceField(choices=["left", "right"], allow_null=True)


class RequiredSerializer(serializers.Serializer[Any]):
    """A name that must be there, and the part that it is; `reason` says why one that is there does not do."""

    name = serializers.CharField()
    row = serializers.CharField(allow_null=True)
    reason = serializers.CharField(allow_null=True)


class LookLineSerializer(serializers.Serializer[Any]):
    """A part as each look has it, by the names below the look."""

    path = serializers.ListField(child=serializers.CharField())
    rows = serializers.ListField(child=serializers.CharField(allow_null=True))


class AppearanceSerializer(serializers.Serializer[Any]):
    """A look: its group in each set that has it, and whether it is shown in any."""

    name = serializers.CharField()
    groups = serializers.ListField(child=serializers.CharField())
    shown = serializers.BooleanField()


class LookTableSerializer(serializers.Serializer[Any]):
    """Parts by looks; `sets` are the groups whose members are looks."""

    sets = serializers.ListField(child=serializers.CharField())
    looks = AppearanceSerializer(many=True)
    lines = LookLineSerializer(many=True)


class CoverSerializer(serializers.Serializer[Any]):
    """What a part at the edge of the view lacks there for the camera's way, in pixels (null: it ends within the view)."""

    row = serializers.CharField()
    needed = serializers.FloatField()
    width = serializers.IntegerField()
    left = serializers.FloatField(allow_null=True)
    right = serializers.FloatField(allow_null=True)


class OrderSerializer(serializers.Serializer[Any]):
    """What the rows say without a pixel."""

    version = serializers.IntegerField()
    series = SeriesSerializer(many=True)
    required = RequiredSerializer(many=True)  # type: ignore[assignment]
    looks = LookTableSerializer(many=True)
    covers = CoverSerializer(many=True)
    findings = FindingSerializer(many=True)


class AskJointsSerializer(serializers.Serializer[Any]):
    """For which parts (none named: all): parents and pivots where there are none, or those of the twins, `mirrored`."""

    rows = serializers.ListField(child=serializers.CharField(), default=list)
    mirrored = serializers.BooleanField(default=False)


class JointSerializer(serializers.Serializer[Any]):
    """Where a part could turn: the centre of the circle that its end follows, where it `is_round`; else the middle of the overlap.

    `deviation` is how far the outline is from that circle, as a root mean square, `overlap` how many pixels it shares with its parent.
    """

    row = serializers.CharField()
    at = serializers.ListField(child=serializers.FloatField())
    radius = serializers.FloatField()
    deviation = serializers.FloatField()
    is_round = serializers.BooleanField()
    overlap = serializers.IntegerField()


class JointsSerializer(serializers.Serializer[Any]):
    """Parents and pivots as they could be set with 'set-joints'."""

    parents = serializers.DictField(child=serializers.CharField(allow_null=True))
    pivots = serializers.DictField(child=serializers.ListField(child=serializers.FloatField(), allow_null=True))
    joints = JointSerializer(many=True)


class AskCompletionsSerializer(serializers.Serializer[Any]):
    """Through which angles a part is turned, in degrees clockwise."""

    row = serializers.CharField()
    start = serializers.FloatField(default=-30.0, min_value=-180, max_value=180)
    end = serializers.FloatField(default=30.0, min_value=-180, max_value=180)


class AskSwingSerializer(AskCompletionsSerializer):
    """The same in so many steps; `at` is the angle whose pixels are shown (else the worst)."""

    steps = serializers.IntegerField(default=61, min_value=2, max_value=361)
    at = serializers.FloatField(required=False, min_value=-180, max_value=180)


class MendSerializer(serializers.Serializer[Any]):
    """A command that lessens what opens at a joint, and how many pixels would open then."""

    command = CommandField()
    opens = serializers.IntegerField()


class CompletionsSerializer(serializers.Serializer[Any]):
    """How many pixels open at a joint at the worst angle of a range, and what lessens that, the best first."""

    opens = serializers.IntegerField()
    mends = MendSerializer(many=True)


class SwingSerializer(serializers.Serializer[Any]):
    """Pixels that open and jut out at each angle, [left, right] of the limb; masks of them at one angle, within a box of the canvas."""

    degrees = serializers.ListField(child=serializers.FloatField())
    opened = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))
    jutting = serializers.ListField(child=serializers.ListField(child=serializers.IntegerField()))
    pivot = serializers.ListField(child=serializers.FloatField())
    radius = serializers.FloatField()
    worst = serializers.FloatField()
    at = serializers.FloatField()
    box = serializers.ListField(child=serializers.IntegerField())
    opened_mask = serializers.CharField(help_text="PNG in Base64.")
    jutting_mask = serializers.CharField(help_text="PNG in Base64.")


class MarginsSerializer(serializers.Serializer[Any]):
    """Left, top, right, bottom; null where nothing between is alike."""

    margins = serializers.ListField(child=serializers.IntegerField(), allow_null=True)


class LookSerializer(serializers.Serializer[Any]):
    """A layer in a review; `image` and `thumbnail` are digests, null where it is empty."""

    id = serializers.CharField()
    path = serializers.ListField(child=serializers.CharField())
    box = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    image = serializers.CharField(allow_null=True)
    thumbnail = serializers.CharField(allow_null=True)


class MatchSerializer(serializers.Serializer[Any]):
    """Which layer is which, and what has changed; `parts` are those that the old layer is in."""

    old = LookSerializer(allow_null=True)
    new = LookSerializer(allow_null=True)
    changes = serializers.ListField(child=serializers.ChoiceField(choices=get_args(Change)))
    dx = serializers.IntegerField()
    dy = serializers.IntegerField()
    parts = serializers.DictField(child=serializers.CharField(), help_text="Names by row id.")


class CutSerializer(serializers.Serializer[Any]):
    """A layer that is an animation in the revision: what it was, its name, and how many frames it has."""

    old = LookSerializer()
    name = serializers.CharField()
    frames = serializers.IntegerField()


class ReviewSerializer(serializers.Serializer[Any]):
    """A revision beside the current one: every layer of either, paired."""

    number = serializers.IntegerField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    picture = serializers.CharField()
    matches = MatchSerializer(many=True)
    cut = CutSerializer(many=True)


class TakeSerializer(serializers.Serializer[Any]):
    """What somebody confirmed: the old layer of each new one (null: it is new), and the parts to be taken out."""

    pairs = serializers.DictField(child=serializers.CharField(allow_null=True), default=dict)
    remove = serializers.ListField(child=serializers.CharField(), default=list)
