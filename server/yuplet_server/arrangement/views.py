from collections.abc import Callable
from typing import Any

import numpy as np
from drf_spectacular.utils import extend_schema
from rest_framework.parsers import MultiPartParser
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet.arrangement import commands, naming, spelling
from yuplet.illustration.made import Behind, Turn
from yuplet.selecting.gestures import Edge, Gesture, edge_from_json, from_json, strokes_from_json
from yuplet_server.accounts.models import User
from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.arrangement import actions, adding, changing, jointing, making, mending, queries
from yuplet_server.arrangement.serializers import (
    ArrangementSerializer,
    AskFindingsSerializer,
    AskIslandsSerializer,
    AskJointsSerializer,
    AskLimbSerializer,
    AskNamesSerializer,
    AskSwingSerializer,
    BackdropSerializer,
    ChangeSerializer,
    DifferenceSerializer,
    DuplicateSerializer,
    FindingSerializer,
    IslandsSerializer,
    JointSerializer,
    JointsSerializer,
    LimbSerializer,
    MarginsSerializer,
    MendSerializer,
    OrderSerializer,
    PictureSerializer,
    PieceOfArtSerializer,
    ProposalsSerializer,
    RenamingSerializer,
    ReviewSerializer,
    RowOnlySerializer,
    SelectedSerializer,
    SelectionSerializer,
    StepSerializer,
    SwingSerializer,
    TakenOutSerializer,
    TakeOutSerializer,
    TakeSerializer,
)
from yuplet_server.illustrations.actions import discard
from yuplet_server.illustrations.models import Revision
from yuplet_server.illustrations.queries import ready_illustration_for, revision_of
from yuplet_server.jobs import apart
from yuplet_server.project.errors import NotNow
from yuplet_server.projects.models import Member


class ArrangementView(APIView):
    """How the parts of an illustration are named, grouped and ordered."""

    @extend_schema(responses=ArrangementSerializer)
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(ArrangementSerializer(queries.seen(found, request.user)).data)


class StepsView(APIView):
    @extend_schema(request=StepSerializer, responses=ArrangementSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(StepSerializer, request.data)
        # The core reads the command itself: it says more exactly what is wrong with it.
        command = spelling.from_json(asked.initial_data["command"])
        if isinstance(command, commands.JoinRows):
            adding.join(found.pk, request.user, asked.validated_data["version"], command.rows)
        else:
            actions.do(found.pk, request.user, asked.validated_data["version"], command)
        return Response(ArrangementSerializer(queries.seen(found, request.user)).data)


class NamesView(APIView):
    """What rows would be called after changes; nothing is changed."""

    @extend_schema(request=AskNamesSerializer, responses=RenamingSerializer(many=True))
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(AskNamesSerializer, request.data)
        # The core reads changes itself: it says more exactly what is wrong with them.
        changes = [naming.from_json(one) for one in asked.initial_data["changes"]]
        answer = queries.renamings(found, asked.validated_data["rows"], changes)
        return Response(RenamingSerializer(answer, many=True).data)


class SelectionView(APIView):
    """What gestures on a part choose; nothing is changed."""

    @extend_schema(request=SelectionSerializer, responses=SelectedSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(SelectionSerializer, request.data)
        # The core reads gestures itself: it says more exactly what is wrong with them.
        gestures, edge = _read(asked.initial_data)
        said = asked.validated_data
        answer = apart.ask(found.pk, queries.selection, found, said["row"], gestures, edge, said["frame"])
        return Response(SelectedSerializer(answer).data)


class IslandsView(APIView):
    """The separate pieces of a part; nothing is changed."""

    @extend_schema(request=AskIslandsSerializer, responses=IslandsSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(AskIslandsSerializer, request.data)
        return Response(IslandsSerializer(apart.ask(found.pk, queries.islands_of, found, **asked.validated_data)).data)


class ProposalsView(APIView):
    """The parts that a part seems to have; nothing is changed."""

    @extend_schema(request=RowOnlySerializer, responses=ProposalsSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(RowOnlySerializer, request.data)
        return Response(
            ProposalsSerializer(apart.ask(found.pk, queries.proposals_of, found, asked.validated_data["row"])).data
        )


class DifferenceView(APIView):
    """The parts beside what was brought in."""

    @extend_schema(responses=DifferenceSerializer)
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(DifferenceSerializer(apart.ask(found.pk, queries.difference, found)).data)


class TakeOutView(APIView):
    """Parts taken out of a part."""

    @extend_schema(request=TakeOutSerializer, responses=TakenOutSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(TakeOutSerializer, request.data)
        said = asked.validated_data
        wanted: list[making.Wish] | making.Separated
        if "separate" in said:
            wanted = making.Separated(**said["separate"])
        else:
            wanted = [making.Wish(one["name"], *_read(one)) for one in asked.initial_data.get("parts", [])]
        behind: Behind = None if said["behind"] == "empty" else said["behind"]
        if said["behind"] == "colour":
            behind = tuple(said.get("colour", (255, 255, 255)))
        taken = making.take_out(found.pk, request.user, said["version"], said["row"], wanted, behind, said["copy"])
        answer = {"taken": taken, "arrangement": _seen(request, illustration)}
        return Response(TakenOutSerializer(answer).data)


class ChangeView(APIView):
    """A part whose pixels are changed: what lies beneath its neighbours, its edge, its colour."""

    @extend_schema(request=ChangeSerializer, responses=ArrangementSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(ChangeSerializer, request.data)
        numbers = dict(asked.validated_data)
        version, row, what = (numbers.pop(name) for name in ("version", "row", "do"))
        if "strokes" in numbers:
            # The core reads strokes itself, as it reads gestures.
            numbers["strokes"] = strokes_from_json(asked.initial_data["strokes"])
        for name in ("at", "colour"):
            if name in numbers:
                numbers[name] = tuple(numbers[name])
        if numbers.get("fill") == "colour":
            numbers["fill"] = numbers.pop("colour", (255, 255, 255))
        changing.change(found.pk, request.user, version, row, what, **numbers)
        return Response(ArrangementSerializer(_seen(request, illustration)).data)


class DuplicateView(APIView):
    """A part that is the same drawing as another one."""

    @extend_schema(request=DuplicateSerializer, responses=TakenOutSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(DuplicateSerializer, request.data)
        said = asked.validated_data
        turn = Turn(said["mirrored"], said["quarters"])
        row = adding.duplicate(found.pk, request.user, said["version"], said["row"], turn, said["about"])
        return Response(TakenOutSerializer({"taken": [row], "arrangement": _seen(request, illustration)}).data)


class BackdropView(APIView):
    """A plain part behind everything."""

    @extend_schema(request=BackdropSerializer, responses=TakenOutSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(BackdropSerializer, request.data)
        colours = [(red, green, blue) for red, green, blue in asked.validated_data["colours"]]
        row = adding.put_backdrop(found.pk, request.user, asked.validated_data["version"], colours)
        return Response(TakenOutSerializer({"taken": [row], "arrangement": _seen(request, illustration)}).data)


class PicturesView(APIView):
    """A picture that becomes a part by itself."""

    parser_classes = [MultiPartParser]

    @extend_schema(request=PictureSerializer, responses=TakenOutSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(PictureSerializer, request.data)
        said = asked.validated_data
        before, file = said.get("row") or None, said["file"]
        if said["instead"] and before is not None:
            row = adding.swap_picture(found.pk, request.user, said["version"], file, before)
        else:
            row = adding.add_picture(found.pk, request.user, said["version"], file, before)
        return Response(TakenOutSerializer({"taken": [row], "arrangement": _seen(request, illustration)}).data)


class AddedView(APIView):
    """What was filled in of a part; nothing is changed."""

    @extend_schema(request=RowOnlySerializer, responses=PieceOfArtSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(RowOnlySerializer, request.data)
        return Response(
            PieceOfArtSerializer(apart.ask(found.pk, queries.added_to, found, asked.validated_data["row"])).data
        )


class LimbView(APIView):
    """How wide a part is at a place that it could turn about; nothing is changed."""

    @extend_schema(request=AskLimbSerializer, responses=LimbSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(AskLimbSerializer, request.data)
        x, y = asked.validated_data["at"]
        circle = apart.ask(found.pk, queries.limb_of, found, asked.validated_data["row"], x, y)
        return Response(LimbSerializer({"radius": circle.radius, "deviation": circle.deviation}).data)


class OrderView(APIView):
    """What the rows say of pairs, looks, depths and what must be there; nothing is changed."""

    @extend_schema(responses=OrderSerializer)
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(OrderSerializer(mending.order_of(found)).data)


class JointsView(APIView):
    """Parents and pivots as they could be; nothing is changed."""

    @extend_schema(request=AskJointsSerializer, responses=JointsSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(AskJointsSerializer, request.data)
        look = jointing.mirrored if asked.validated_data["mirrored"] else jointing.proposed
        return Response(JointsSerializer(apart.ask(found.pk, look, found, asked.validated_data["rows"])).data)


class JointView(APIView):
    """Where a part could turn on its parent: one place or none; nothing is changed."""

    @extend_schema(request=RowOnlySerializer, responses=JointSerializer(many=True))
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(RowOnlySerializer, request.data)
        joint = apart.ask(found.pk, jointing.joint_of, found, asked.validated_data["row"])
        return Response(JointSerializer([] if joint is None else [joint], many=True).data)


class SwingView(APIView):
    """What opens and juts out when a part turns; nothing is changed."""

    @extend_schema(request=AskSwingSerializer, responses=SwingSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(AskSwingSerializer, request.data)
        said = asked.validated_data
        degrees = [float(one) for one in np.linspace(said["start"], said["end"], said["steps"])]
        return Response(
            SwingSerializer(apart.ask(found.pk, jointing.swing_of, found, said["row"], degrees, said.get("at"))).data
        )


class MarginsView(APIView):
    """How far from its edges a part is not to be stretched; nothing is changed."""

    @extend_schema(request=RowOnlySerializer, responses=MarginsSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(RowOnlySerializer, request.data)
        margins = apart.ask(found.pk, queries.margins_of, found, asked.validated_data["row"])
        return Response(MarginsSerializer({"margins": margins}).data)


class FindingsView(APIView):
    """What there is to look at before handing over; nothing is changed."""

    @extend_schema(parameters=[AskFindingsSerializer], responses=FindingSerializer(many=True))
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(AskFindingsSerializer, request.query_params)
        return Response(
            FindingSerializer(apart.ask(found.pk, mending.found_in, found, **asked.validated_data), many=True).data
        )


class MendView(APIView):
    """What was found, mended."""

    @extend_schema(request=MendSerializer, responses=ArrangementSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(MendSerializer, request.data)
        mending.mend(found.pk, request.user, **asked.validated_data)
        return Response(ArrangementSerializer(_seen(request, illustration)).data)


def _read(value: dict[str, Any]) -> tuple[tuple[Gesture, ...], Edge]:
    return tuple(from_json(one) for one in value.get("gestures", [])), edge_from_json(value.get("edge", {}))


class RevisionView(APIView):
    """A revision beside the current one."""

    @extend_schema(responses=ReviewSerializer)
    def get(self, request: SignedInRequest, illustration: int, revision: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        other = revision_of(found, revision)
        if other.state == Revision.State.READING:
            raise NotNow("This revision has not been read yet. Wait until it is brought in.")
        return Response(ReviewSerializer(queries.review(found, other)).data)

    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, illustration: int, revision: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        discard(revision_of(found, revision))
        return Response(status=204)


class TakeRevisionView(APIView):
    """Working with a revision that was reviewed."""

    @extend_schema(request=TakeSerializer, responses=ArrangementSerializer)
    def post(self, request: SignedInRequest, illustration: int, revision: int) -> Response:
        ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(TakeSerializer, request.data)
        pairs, remove = asked.validated_data["pairs"], asked.validated_data["remove"]
        actions.take_revision(illustration, request.user, revision, pairs, remove)
        return Response(ArrangementSerializer(_seen(request, illustration)).data)


class _BackAndForth(APIView):
    verb: Callable[[int, User], None]

    @extend_schema(request=None, responses=ArrangementSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        type(self).verb(found.pk, request.user)
        return Response(ArrangementSerializer(_seen(request, illustration)).data)


class UndoView(_BackAndForth):
    """Taking back one's own last step."""

    verb = staticmethod(actions.undo)


class RedoView(_BackAndForth):
    """Doing again what was undone."""

    verb = staticmethod(actions.redo)


class GoBackView(_BackAndForth):
    """Working with the revision before the current one again."""

    verb = staticmethod(actions.go_back)


def _seen(request: SignedInRequest, illustration: int) -> dict[str, Any]:
    """The arrangement as it is now: the step may have changed which revision is worked with."""
    return queries.seen(ready_illustration_for(request.user, illustration, Member.Role.EDITOR), request.user)
