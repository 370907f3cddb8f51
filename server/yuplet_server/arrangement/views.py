from collections.abc import Callable, Sequence
from pathlib import PurePath
from uuid import UUID

import numpy as np
from django.http.response import HttpResponseBase
from django.utils.cache import get_conditional_response
from drf_spectacular.utils import extend_schema
from rest_framework.parsers import MultiPartParser
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet.arrangement.commands import Command
from yuplet.arrangement.naming import rules as naming
from yuplet.editing.adding import PastePicture, SwapPicture
from yuplet.editing.jointing import ProposeJoints
from yuplet.selecting.gestures import HARD
from yuplet_server.accounts.models import User
from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.arrangement import actions, pixel_queries, queries
from yuplet_server.arrangement.serializers import (
    ArrangementSerializer,
    AskCompletionsSerializer,
    AskFindingsSerializer,
    AskIslandsSerializer,
    AskJointsSerializer,
    AskLimbSerializer,
    AskNamesSerializer,
    AskSwingSerializer,
    CompletionsSerializer,
    DifferenceSerializer,
    FindingSerializer,
    IslandsSerializer,
    JointSerializer,
    JointsSerializer,
    LimbSerializer,
    MarginsSerializer,
    OrderSerializer,
    PictureSerializer,
    PieceOfArtSerializer,
    ProposalsSerializer,
    RenamingSerializer,
    RepeatSerializer,
    ReviewSerializer,
    RowOnlySerializer,
    SelectedSerializer,
    SelectionSerializer,
    StepAnswerSerializer,
    StepSerializer,
    SwingSerializer,
    TakeSerializer,
)
from yuplet_server.base.errors import NotNow
from yuplet_server.illustrations.actions import discard
from yuplet_server.illustrations.layers import HANDED_IN, handed_in
from yuplet_server.illustrations.models import Revision
from yuplet_server.illustrations.queries import ready_illustration_for, revision_of
from yuplet_server.jobs import apart
from yuplet_server.projects.models import Member

_TRIED = 13
"""Angles at which is looked whether a joint would open less: each is drawn three times."""


class ArrangementView(APIView):
    """How the parts of an illustration are named, grouped and ordered."""

    @extend_schema(responses={200: ArrangementSerializer, 304: None})
    def get(self, request: SignedInRequest, illustration: int) -> HttpResponseBase:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        stamp = queries.stamp(found, request.user)
        # Pages ask often, and mostly nothing has changed.
        unchanged = get_conditional_response(request, etag=stamp)
        answer = unchanged or Response(queries.page_payload(found.pk, request.user))
        answer.headers["ETag"] = stamp
        answer.headers["Cache-Control"] = "private, no-cache"
        return answer


class StepsView(APIView):
    """A command carried out: any of the table in docs/formats/commands.md."""

    @extend_schema(request=StepSerializer, responses=StepAnswerSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(StepSerializer, request.data)
        said = asked.validated_data
        rows = actions.perform(found.pk, request.user, said["version"], said["command"], said.get("id"))
        return step_answer(request, illustration, said["version"], rows)


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
        said = asked.validated_data
        edge = said.get("edge", HARD)
        answer = apart.ask(found.pk, pixel_queries.selection, found, said["row"], said["gestures"], edge, said["frame"])
        return Response(SelectedSerializer(answer).data)


class IslandsView(APIView):
    """The separate pieces of a part; nothing is changed."""

    @extend_schema(request=AskIslandsSerializer, responses=IslandsSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(AskIslandsSerializer, request.data)
        return Response(
            IslandsSerializer(apart.ask(found.pk, pixel_queries.islands_of, found, **asked.validated_data)).data
        )


class ProposalsView(APIView):
    """The parts that a part seems to have; nothing is changed."""

    @extend_schema(request=RowOnlySerializer, responses=ProposalsSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(RowOnlySerializer, request.data)
        return Response(
            ProposalsSerializer(
                apart.ask(found.pk, pixel_queries.proposals_of, found, asked.validated_data["row"])
            ).data
        )


class DifferenceView(APIView):
    """The parts beside what was brought in."""

    @extend_schema(responses=DifferenceSerializer)
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(DifferenceSerializer(apart.ask(found.pk, pixel_queries.difference, found)).data)


class PicturesView(APIView):
    """A picture that becomes a part by itself, or takes the place of that of a row."""

    parser_classes = [MultiPartParser]

    @extend_schema(request=PictureSerializer, responses=StepAnswerSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(PictureSerializer, request.data)
        said = asked.validated_data
        row, file = said.get("row") or None, said["file"]
        with handed_in(file) as picture:
            name = PurePath(picture.file_name).stem
            command: Command = PastePicture(HANDED_IN, name, row)
            if said["instead"] and row is not None:
                command = SwapPicture(row, HANDED_IN, name)
            rows = actions.perform(
                found.pk, request.user, said["version"], command, said.get("id"), {HANDED_IN: picture}
            )
        return step_answer(request, illustration, said["version"], rows)


class AddedView(APIView):
    """What was filled in of a part; nothing is changed."""

    @extend_schema(request=RowOnlySerializer, responses=PieceOfArtSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(RowOnlySerializer, request.data)
        return Response(
            PieceOfArtSerializer(apart.ask(found.pk, pixel_queries.added_to, found, asked.validated_data["row"])).data
        )


class RemainderView(APIView):
    """What is left of a part to be taken out of it; nothing is changed."""

    @extend_schema(request=RowOnlySerializer, responses=PieceOfArtSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        row = checked(RowOnlySerializer, request.data).validated_data["row"]
        return Response(PieceOfArtSerializer(apart.ask(found.pk, pixel_queries.remainder_of, found, row)).data)


class LimbView(APIView):
    """How wide a part is at a place that it could turn about; nothing is changed."""

    @extend_schema(request=AskLimbSerializer, responses=LimbSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(AskLimbSerializer, request.data)
        x, y = asked.validated_data["at"]
        circle = apart.ask(found.pk, pixel_queries.limb_of, found, asked.validated_data["row"], x, y)
        return Response(LimbSerializer({"radius": circle.radius, "deviation": circle.deviation}).data)


class OrderView(APIView):
    """What the rows say of pairs, looks, depths and what must be there; nothing is changed."""

    @extend_schema(responses=OrderSerializer)
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(OrderSerializer(pixel_queries.order_of(found)).data)


class JointsView(APIView):
    """Parents and pivots as they could be; nothing is changed."""

    @extend_schema(request=AskJointsSerializer, responses=JointsSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(AskJointsSerializer, request.data)
        command = ProposeJoints(tuple(asked.validated_data["rows"]), asked.validated_data["mirrored"])
        return Response(JointsSerializer(apart.ask(found.pk, pixel_queries.proposed_joints, found, command)).data)


class JointView(APIView):
    """Where a part could turn on its parent: one place or none; nothing is changed."""

    @extend_schema(request=RowOnlySerializer, responses=JointSerializer(many=True))
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(RowOnlySerializer, request.data)
        joint = apart.ask(found.pk, pixel_queries.joint_of, found, asked.validated_data["row"])
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
            SwingSerializer(
                apart.ask(found.pk, pixel_queries.swing_of, found, said["row"], degrees, said.get("at"))
            ).data
        )


class CompletionsView(APIView):
    """What would close a joint; nothing is changed."""

    @extend_schema(request=AskCompletionsSerializer, responses=CompletionsSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        said = checked(AskCompletionsSerializer, request.data).validated_data
        degrees = [float(one) for one in np.linspace(said["start"], said["end"], _TRIED)]
        return Response(
            CompletionsSerializer(apart.ask(found.pk, pixel_queries.completions_of, found, said["row"], degrees)).data
        )


class MarginsView(APIView):
    """How far from its edges a part is not to be stretched; nothing is changed."""

    @extend_schema(request=RowOnlySerializer, responses=MarginsSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(RowOnlySerializer, request.data)
        margins = apart.ask(found.pk, pixel_queries.margins_of, found, asked.validated_data["row"])
        return Response(MarginsSerializer({"margins": margins}).data)


class FindingsView(APIView):
    """What there is to look at before handing over; nothing is changed."""

    @extend_schema(parameters=[AskFindingsSerializer], responses=FindingSerializer(many=True))
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        asked = checked(AskFindingsSerializer, request.query_params)
        return Response(
            FindingSerializer(
                apart.ask(found.pk, pixel_queries.findings_of, found, **asked.validated_data), many=True
            ).data
        )


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

    @extend_schema(request=TakeSerializer, responses=StepAnswerSerializer)
    def post(self, request: SignedInRequest, illustration: int, revision: int) -> Response:
        ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked = checked(TakeSerializer, request.data)
        pairs, remove = asked.validated_data["pairs"], asked.validated_data["remove"]
        actions.take_revision(illustration, request.user, revision, pairs, remove)
        return step_answer(request, illustration, 0)


class _BackAndForth(APIView):
    verb: Callable[[int, User, UUID | None], None]

    @extend_schema(request=RepeatSerializer, responses=StepAnswerSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        said = checked(RepeatSerializer, request.data).validated_data
        type(self).verb(found.pk, request.user, said.get("id"))
        return step_answer(request, illustration, said["version"])


class UndoView(_BackAndForth):
    """Taking back one's own last step."""

    verb = staticmethod(actions.undo)


class RedoView(_BackAndForth):
    """Doing again what was undone."""

    verb = staticmethod(actions.redo)


class GoBackView(APIView):
    """Working with the revision before the current one again."""

    @extend_schema(request=None, responses=StepAnswerSerializer)
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        actions.go_back(found.pk, request.user)
        return step_answer(request, illustration, 0)


def step_answer(request: SignedInRequest, illustration: int, since: int, rows: Sequence[str] = ()) -> Response:
    """What has changed since the version that the page has, this step and those of others, and the rows that the step made."""
    return Response({**queries.page_payload(illustration, request.user, since), "made": list(rows)})
