from typing import Any, get_args

from drf_spectacular.utils import extend_schema_field
from rest_framework import serializers

from yuplet import documents
from yuplet.plan.planned import FileKind
from yuplet_server.handovers import together
from yuplet_server.handovers.models import HandOver, PackageOf, ProjectHandOver, SyncRun, WatchedSource
from yuplet_server.jobs.models import Job
from yuplet_server.jobs.serializers import JobSerializer


def _in_full(schema: Any) -> Any:
    """The schema of a recipe in which nothing is left out, without references into itself."""
    if isinstance(schema, list):
        return [_in_full(one) for one in schema]
    if not isinstance(schema, dict):
        return schema
    found = {name: _in_full(one) for name, one in schema.items() if name not in ("$schema", "title", "minProperties")}
    if found.get("type") == "object" and "properties" in found and "maxProperties" not in found:
        found["required"] = list(found["properties"])
    return found


def _recipe_schema() -> dict[str, Any]:
    schema = _in_full(documents.schema("recipe"))
    # Of some parts anything may be said.
    of_some = {**schema["properties"]["images"], "required": []}
    schema["properties"]["images_for"]["items"]["properties"]["images"] = of_some
    return dict(schema)


@extend_schema_field(_recipe_schema())
class DocumentField(serializers.DictField):
    """A recipe in full."""


class RecipeSerializer(serializers.Serializer[Any]):
    """A recipe of a project (`id`) or one that comes with Yuplet (`file`); the document is docs/formats/recipe.md in full."""

    id = serializers.IntegerField(allow_null=True)
    file = serializers.CharField(allow_null=True)
    document = DocumentField()


class RootsSerializer(serializers.Serializer[Any]):
    roots = serializers.ListField(child=serializers.CharField())


class SaveRecipeSerializer(serializers.Serializer[Any]):
    """A recipe as a document (docs/formats/recipe.md); the core says what is wrong with it."""

    document = serializers.JSONField()


class WantedSerializer(serializers.Serializer[Any]):
    """What a plan is wanted of: a recipe (null: the last one), and all that is included or only what is among some rows."""

    recipe = serializers.JSONField(required=False, allow_null=True, default=None)
    only = serializers.ListField(
        child=serializers.CharField(), required=False, allow_null=True, default=None, max_length=5000
    )


class PlanWantedSerializer(WantedSerializer):
    """The same, into a folder on the server's machine too where one is given."""

    folder = serializers.CharField(required=False, allow_blank=True, default="", max_length=1000)


class WantedImageSerializer(WantedSerializer):
    """A file of the plan that is a picture."""

    file = serializers.CharField(max_length=1000)


class PlannedScaleSerializer(serializers.Serializer[Any]):
    name = serializers.CharField()
    factor = serializers.FloatField()
    canvas = serializers.ListField(child=serializers.IntegerField())


class PlannedMomentSerializer(serializers.Serializer[Any]):
    """A moment of an animated part: its file, and for how many milliseconds it is seen (null: nobody has said)."""

    file = serializers.CharField()
    milliseconds = serializers.IntegerField(allow_null=True)


class PlannedPartSerializer(serializers.Serializer[Any]):
    """A part that will be handed over, at the main scale."""

    id = serializers.CharField()
    path = serializers.ListField(child=serializers.CharField())
    order = serializers.IntegerField()
    shown = serializers.BooleanField()
    frames = serializers.IntegerField()
    format = serializers.CharField()
    file = serializers.CharField()
    box = serializers.ListField(child=serializers.IntegerField())
    moments = PlannedMomentSerializer(
        many=True,
        required=False,
        help_text="Where each picture of it is a file of its own; plans of before do not have it.",
    )


class PlannedFileSerializer(serializers.Serializer[Any]):
    """One file that will be written: what it is, its size in pixels, the parts that it shows; `bytes` where they are known."""

    file = serializers.CharField()
    kind = serializers.ChoiceField(choices=get_args(FileKind))
    scale = serializers.CharField(allow_blank=True)
    size = serializers.ListField(child=serializers.IntegerField(), allow_null=True)
    parts = serializers.ListField(child=serializers.CharField())
    change = serializers.ChoiceField(
        choices=["new", "changed", "same", "made anew"], help_text="Against the last package by the same recipe."
    )
    bytes = serializers.IntegerField(allow_null=True)


class PlanNoteSerializer(serializers.Serializer[Any]):
    """Something to know before; an error stops the hand-over."""

    kind = serializers.CharField()
    severity = serializers.ChoiceField(choices=["error", "warning"])
    sentence = serializers.CharField()
    parts = serializers.ListField(child=serializers.CharField())
    files = serializers.ListField(child=serializers.CharField())
    fits = serializers.FloatField(
        allow_null=True, help_text="The factor at which an image would be small enough for the receiver."
    )


class AllowedSerializer(serializers.Serializer[Any]):
    """By how much the picture may differ when it is put together again, in levels of 255; 0 where nothing is lost."""

    largest = serializers.IntegerField()
    mean = serializers.FloatField()


class PlanSerializer(serializers.Serializer[Any]):
    """All that a hand-over will write; `gone` lists what the last package by the same recipe had and this one will not."""

    version = serializers.IntegerField()
    recipe = DocumentField()
    canvas = serializers.ListField(child=serializers.IntegerField())
    scales = PlannedScaleSerializer(many=True)
    parts = PlannedPartSerializer(many=True)
    files = PlannedFileSerializer(many=True)
    notes = PlanNoteSerializer(many=True)
    allowed = AllowedSerializer()
    left_out = serializers.ListField(child=serializers.CharField())
    empty = serializers.ListField(child=serializers.CharField())
    gone = serializers.ListField(child=serializers.CharField())
    compared_with = serializers.IntegerField(allow_null=True)
    folder = serializers.CharField(allow_blank=True)


class AskSerializer(PlanWantedSerializer):
    remove_obsolete = serializers.BooleanField(
        required=False, default=False, help_text="Whether files of the folder that are no longer wanted are removed."
    )
    prove_everything = serializers.BooleanField(
        required=False,
        default=False,
        help_text="Whether the proof looks at what has not changed since the package before, too.",
    )
    version = serializers.IntegerField(help_text="The version of the plan that was seen.")


class WorstSerializer(serializers.Serializer[Any]):
    x = serializers.IntegerField()
    y = serializers.IntegerField()
    part = serializers.CharField(allow_null=True)


class ComparisonSerializer(serializers.Serializer[Any]):
    """The picture put together in one way at one scale, beside the reference picture."""

    ok = serializers.BooleanField()
    way = serializers.CharField()
    scale = serializers.FloatField()
    pixels = serializers.IntegerField()
    compared = serializers.IntegerField(
        required=False, help_text="Pixels that were compared now; the others were in an earlier proof. Absent: all."
    )
    differing_pixels = serializers.IntegerField()
    largest = serializers.FloatField()
    mean = serializers.FloatField()
    allowed_largest = serializers.FloatField()
    allowed_mean = serializers.FloatField()
    worst = WorstSerializer(allow_null=True)


class InventorySerializer(serializers.Serializer[Any]):
    """How many files are expected and found, which are not as they should be, and what contradicts itself."""

    expected = serializers.IntegerField()
    found = serializers.IntegerField()
    pixels = serializers.IntegerField()
    missing = serializers.ListField(child=serializers.CharField())
    extra = serializers.ListField(child=serializers.CharField())
    unreadable = serializers.ListField(child=serializers.CharField())
    wrong_case = serializers.ListField(child=serializers.CharField())
    empty = serializers.ListField(child=serializers.CharField())
    obsolete = serializers.ListField(child=serializers.CharField())
    faults = serializers.ListField(child=serializers.CharField())


class ProofSerializer(InventorySerializer):
    """What the rehearsal found when it put the package together again."""

    ok = serializers.BooleanField()
    differing_pixels = serializers.IntegerField(allow_null=True)
    max_difference = serializers.FloatField(allow_null=True)
    worst = WorstSerializer(allow_null=True)
    comparisons = ComparisonSerializer(many=True)
    looked_at = serializers.ChoiceField(
        choices=["everything", "changes"], required=False, help_text="Absent: everything."
    )


class WrittenFileSerializer(serializers.Serializer[Any]):
    file = serializers.CharField()
    bytes = serializers.IntegerField()
    kept = serializers.BooleanField(help_text="Whether it is as in the package before.")


class HandOverReportSerializer(serializers.Serializer[Any]):
    parts = serializers.IntegerField()
    files = WrittenFileSerializer(many=True)
    bytes = serializers.IntegerField()
    seconds = serializers.FloatField()
    empty = serializers.ListField(child=serializers.CharField())
    left_out = serializers.ListField(child=serializers.CharField())
    warnings = serializers.ListField(child=serializers.CharField())
    gone = serializers.ListField(child=serializers.CharField())
    proof = ProofSerializer()


class HandOverSerializer(serializers.ModelSerializer[HandOver]):
    """One run: its job while it lasts, its report afterwards."""

    job = JobSerializer(read_only=True, allow_null=True)
    recipe = serializers.CharField(source="recipe.name", read_only=True)
    report = HandOverReportSerializer(allow_null=True, read_only=True)
    created_by = serializers.CharField(source="created_by.username", default=None, allow_null=True, read_only=True)

    class Meta:
        model = HandOver
        fields = [
            "id",
            "number",
            "version",
            "recipe",
            "folder",
            "job",
            "report",
            "package_bytes",
            "created_by",
            "created_at",
        ]
        read_only_fields = fields


class SyncRunSerializer(serializers.ModelSerializer[SyncRun]):
    """One change that was followed: layers by what befell them, and the numbers of the hand-overs that it led to."""

    changes = serializers.DictField(child=serializers.IntegerField())
    hand_overs = serializers.ListField(child=serializers.IntegerField())

    class Meta:
        model = SyncRun
        fields = ["at", "revision", "changes", "hand_overs"]


class WatchedSourceSerializer(serializers.Serializer[Any]):
    """What an illustration keeps in step with, how that stands, and the last passes."""

    file = serializers.CharField(source="source")
    folder = serializers.CharField(allow_blank=True)
    remove_obsolete = serializers.BooleanField()
    recipes = serializers.ListField(child=DocumentField())
    state = serializers.ChoiceField(choices=WatchedSource.State.choices)
    said = serializers.CharField(allow_blank=True)
    passes = serializers.SerializerMethodField()

    @extend_schema_field(SyncRunSerializer(many=True))
    def get_passes(self, one: WatchedSource) -> Any:
        return SyncRunSerializer(one.passes.all()[:20], many=True).data


class SetWatchedSourceSerializer(serializers.Serializer[Any]):
    file = serializers.CharField(
        max_length=1000,
        help_text="A file, or a folder of images, on the server's machine, below a folder that is opened.",
    )
    folder = serializers.CharField(required=False, allow_blank=True, default="", max_length=1000)
    remove_obsolete = serializers.BooleanField(required=False, default=False)
    recipes = serializers.ListField(child=serializers.JSONField(), max_length=12)


class CandidateSerializer(serializers.Serializer[Any]):
    """An illustration that can be handed over with others: the recipe that it would be by, the last hand-over by that, and whether anything has
    changed since.
    """

    illustration = serializers.IntegerField()
    name = serializers.CharField()
    recipe = serializers.CharField()
    last = serializers.IntegerField(allow_null=True)
    has_changed = serializers.BooleanField()


class OneOfTogetherSerializer(serializers.Serializer[Any]):
    illustration = serializers.IntegerField()
    recipe = serializers.JSONField(
        required=False, allow_null=True, default=None, help_text="null: by which it was last"
    )


class AskTogetherSerializer(serializers.Serializer[Any]):
    """Illustrations of a project that are to be handed over together, into a folder of the server's machine too where one is given."""

    illustrations = serializers.ListField(child=OneOfTogetherSerializer(), max_length=500)
    folder = serializers.CharField(required=False, allow_blank=True, default="", max_length=1000)
    remove_obsolete = serializers.BooleanField(required=False, default=False)


class PackageOfSerializer(serializers.ModelSerializer[PackageOf]):
    """A package among several (as `project_hand_overs_of` gives it): its folder (`name`), and how its hand-over stands. One that is not new is that of an earlier hand-over, since
    nothing had changed.
    """

    illustration = serializers.IntegerField(source="hand_over.illustration_id", read_only=True)
    hand_over = serializers.IntegerField(source="hand_over_id", read_only=True)
    number = serializers.IntegerField(source="hand_over.number", read_only=True)
    recipe = serializers.CharField(read_only=True)
    state = serializers.SerializerMethodField()
    error = serializers.SerializerMethodField()
    parts = serializers.IntegerField(read_only=True, allow_null=True)
    differing_pixels = serializers.IntegerField(read_only=True, allow_null=True)
    ok = serializers.SerializerMethodField()

    class Meta:
        model = PackageOf
        fields = [
            "name",
            "illustration",
            "hand_over",
            "number",
            "recipe",
            "is_new",
            "state",
            "error",
            "parts",
            "differing_pixels",
            "ok",
        ]
        read_only_fields = fields

    @extend_schema_field(serializers.ChoiceField(choices=Job.State.choices))
    def get_state(self, one: Any) -> str:
        if one.parts is not None:
            return str(Job.State.DONE)
        job = one.hand_over.job
        return str(Job.State.CANCELLED if job is None else job.state)

    def get_error(self, one: PackageOf) -> str:
        return together.what_stopped(one)

    def get_ok(self, one: Any) -> bool:
        return bool(one.proved)


class SharedSheetSerializer(serializers.Serializer[Any]):
    file = serializers.CharField()
    width = serializers.IntegerField()
    height = serializers.IntegerField()
    pictures = serializers.IntegerField()


class TogetherCountsSerializer(serializers.Serializer[Any]):
    packages = serializers.IntegerField()
    parts = serializers.IntegerField()
    files = serializers.IntegerField()
    bytes = serializers.IntegerField()


class TogetherReportSerializer(serializers.Serializer[Any]):
    """What the index tells of all packages, the sheets that they share, and what is wrong with these."""

    counts = TogetherCountsSerializer()
    sheets = SharedSheetSerializer(many=True)
    faults = serializers.ListField(child=serializers.CharField())


class ProjectHandOverSerializer(serializers.ModelSerializer[ProjectHandOver]):
    """Several illustrations handed over together."""

    job = JobSerializer(read_only=True, allow_null=True)
    packages = PackageOfSerializer(many=True, read_only=True)
    report = TogetherReportSerializer(allow_null=True, read_only=True)
    is_kept = serializers.SerializerMethodField()
    created_by = serializers.CharField(source="created_by.username", default=None, allow_null=True, read_only=True)

    class Meta:
        model = ProjectHandOver
        fields = ["id", "number", "folder", "job", "packages", "report", "is_kept", "created_by", "created_at"]
        read_only_fields = fields

    def get_is_kept(self, one: ProjectHandOver) -> bool:
        return together.is_kept(one)
