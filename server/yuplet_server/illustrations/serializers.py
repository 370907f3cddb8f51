from typing import Any

from rest_framework import serializers

from yuplet_server.base.fields import NameField
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.jobs.serializers import JobSerializer


class NoteSerializer(serializers.Serializer[Any]):
    """Something that was adapted or not understood; `layer` is the layer or group that it concerns."""

    kind = serializers.CharField()
    layer = serializers.CharField(allow_null=True, default=None)
    path = serializers.ListField(child=serializers.CharField())
    sentence = serializers.CharField()


class MergedSerializer(serializers.Serializer[Any]):
    """The composite against the file's own merged picture."""

    pixels = serializers.IntegerField()
    differing = serializers.IntegerField()
    largest = serializers.IntegerField()
    sentence = serializers.CharField()


class ReportSerializer(serializers.Serializer[Any]):
    """What was read of a file, and what was not understood."""

    counts = serializers.DictField(child=serializers.IntegerField())
    notes = NoteSerializer(many=True)
    ppi = serializers.FloatField(allow_null=True)
    bit_depth = serializers.IntegerField()
    colour_space = serializers.CharField()
    name_sources = serializers.DictField(
        child=serializers.ListField(child=serializers.CharField()),
        default=dict,
        help_text="Where vector art has names, with some of them.",
    )
    merged = MergedSerializer(allow_null=True)


class CreditSerializer(serializers.Serializer[Any]):
    """Who made a picture. `licence` is an SPDX identifier or own words; `attribution` null: nobody has said."""

    author = serializers.CharField(max_length=2000, allow_blank=True, default="")
    title = serializers.CharField(max_length=2000, allow_blank=True, default="")
    source = serializers.CharField(max_length=2000, allow_blank=True, default="")  # type: ignore[assignment]
    licence = serializers.CharField(max_length=2000, allow_blank=True, default="")
    attribution = serializers.BooleanField(allow_null=True, default=None)
    note = serializers.CharField(max_length=2000, allow_blank=True, default="")


class LicenceSerializer(serializers.Serializer[Any]):
    id = serializers.CharField()
    name = serializers.CharField()


class SheetSerializer(serializers.Serializer[Any]):
    """How a sheet is cut into frames: cells (width, height) in rows from the top left corner, in pixels."""

    columns = serializers.IntegerField(min_value=1)
    rows = serializers.IntegerField(min_value=1)
    cell = serializers.ListField(child=serializers.IntegerField(min_value=1), min_length=2, max_length=2)
    margin = serializers.IntegerField(min_value=0, default=0)
    spacing = serializers.IntegerField(min_value=0, default=0)


class ChoicesSerializer(serializers.Serializer[Any]):
    """How a file is read; what was not chosen is left out."""

    longest = serializers.IntegerField(
        required=False,
        min_value=1,
        max_value=30_000,
        help_text="The longer side in pixels at which vector art is drawn.",
    )
    ppi = serializers.FloatField(
        required=False, min_value=1, max_value=4_800, help_text="Pixels to the inch of vector art; else 96."
    )
    names = serializers.CharField(required=False, help_text="The attribute that vector art is named by.")
    sheet = SheetSerializer(required=False)
    stack = serializers.ChoiceField(
        choices=["parts", "frames"], required=False, help_text="What loose images are; else as their names suggest."
    )
    reference = serializers.CharField(
        required=False, allow_blank=True, help_text="Which loose image is the picture of the whole; '' for none."
    )


class PackSerializer(serializers.Serializer[Any]):
    """Images of an illustration, each by the first 16 letters of its digest, up to 128 with dots between; `-2` behind one asks for it halved twice."""

    of = serializers.RegexField(
        r"\A[0-9a-f]{16}(-[0-9]{1,2})?(\.[0-9a-f]{16}(-[0-9]{1,2})?){0,127}\Z", max_length=128 * 20
    )

    def validate_of(self, of: str) -> list[tuple[str, int]]:
        """The beginning of each digest, and how often the image is halved."""
        asked = (one.partition("-") for one in of.split("."))
        return [(digest, int(halved or 0)) for digest, _, halved in asked]


class AreaSerializer(serializers.Serializer[Any]):
    """An area of a layer in pixels, from the top left corner of its own box, and how many times as large it is wanted."""

    left = serializers.IntegerField(min_value=0)
    top = serializers.IntegerField(min_value=0)
    width = serializers.IntegerField(min_value=1)
    height = serializers.IntegerField(min_value=1)
    factor = serializers.IntegerField(min_value=1, max_value=32)


class RevisionSerializer(serializers.ModelSerializer[Revision]):
    """One state of the art: being read, waiting for a review, or ready to be worked with."""

    job = JobSerializer(read_only=True, allow_null=True)
    choices = ChoicesSerializer(read_only=True)
    created_by = serializers.CharField(source="created_by.username", default=None, allow_null=True, read_only=True)

    class Meta:
        model = Revision
        fields = [
            "number", "file_name", "sha256", "bytes", "choices", "state", "job", "width", "height", "preview", "picture",
            "created_by", "created_at",
        ]  # fmt: skip
        read_only_fields = fields


class IllustrationSerializer(serializers.ModelSerializer[Illustration]):
    """An illustration in a list, with the facts of its current revision."""

    revision = serializers.IntegerField(source="current.number", read_only=True)
    file_name = serializers.CharField(source="current.file_name", read_only=True)
    sha256 = serializers.CharField(source="current.sha256", read_only=True)
    bytes = serializers.IntegerField(source="current.bytes", read_only=True)
    state = serializers.ChoiceField(source="current.state", choices=Revision.State.choices, read_only=True)
    job = JobSerializer(source="current.job", read_only=True, allow_null=True)
    width = serializers.IntegerField(source="current.width", read_only=True)
    height = serializers.IntegerField(source="current.height", read_only=True)
    preview = serializers.CharField(source="current.preview", read_only=True)

    class Meta:
        model = Illustration
        fields = [
            "id", "project", "name", "revision", "file_name", "sha256", "bytes", "state", "job", "width", "height", "preview",
            "created_at",
        ]  # fmt: skip
        read_only_fields = fields


class InBinSerializer(serializers.Serializer[Any]):
    """A project or an illustration in the bin: when and by whom it was removed, and when it will be gone for good."""

    kind = serializers.ChoiceField(choices=["project", "illustration"])
    id = serializers.IntegerField()
    name = serializers.CharField()
    project_name = serializers.CharField()
    removed_at = serializers.DateTimeField()
    removed_by = serializers.CharField(allow_null=True)
    gone_at = serializers.DateTimeField()


class WholeIllustrationSerializer(IllustrationSerializer):
    """An illustration with its report, its credit and what whoever asks may do with it.

    `waiting` is a revision beside the current one that is being read or waits for a review.
    """

    report = ReportSerializer(allow_null=True)
    picture = serializers.CharField(source="current.picture", read_only=True)
    choices = ChoicesSerializer(source="current.choices", read_only=True)
    credit = CreditSerializer(read_only=True)
    waiting = RevisionSerializer(allow_null=True, read_only=True)
    role = serializers.CharField()
    project_name = serializers.CharField(source="project.name")

    class Meta(IllustrationSerializer.Meta):
        fields = [
            *IllustrationSerializer.Meta.fields, "report", "picture", "choices", "credit", "waiting", "role", "project_name",
        ]  # fmt: skip


class ChangeSerializer(serializers.Serializer[Any]):
    """A new name, or who made the picture, or both."""

    name = NameField(max_length=200, required=False)
    credit = CreditSerializer(required=False)


class UploadSerializer(ChoicesSerializer):
    """A file, or several loose images that belong together, and how they are read."""

    file = serializers.ListField(child=serializers.FileField(max_length=255, allow_empty_file=True), allow_empty=False)
    path = serializers.ListField(
        child=serializers.CharField(max_length=255),
        required=False,
        help_text="The path of each, where there are folders.",
    )
    together = serializers.CharField(
        max_length=200, required=False, help_text="What several images are called together."
    )


class SheetQuestionSerializer(serializers.Serializer[Any]):
    """A cut to look at; without one, a cut is proposed."""

    sheet = SheetSerializer(required=False)


class SheetFindingSerializer(serializers.Serializer[Any]):
    kind = serializers.ChoiceField(choices=["cut through", "empty", "outside"])
    cell = serializers.IntegerField(allow_null=True)
    sentence = serializers.CharField()


class SheetAnswerSerializer(serializers.Serializer[Any]):
    """A cut, the whole sheet as a picture by its digest, and what speaks against the cut."""

    sheet = SheetSerializer()
    picture = serializers.CharField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    findings = SheetFindingSerializer(many=True)
