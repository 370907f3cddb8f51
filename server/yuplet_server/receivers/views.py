from typing import Any

from django.http import StreamingHttpResponse
from django.http.response import HttpResponseBase
from django.utils.decorators import method_decorator
from django.utils.http import content_disposition_header
from django.views.decorators.csrf import csrf_protect, ensure_csrf_cookie
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.permissions import AllowAny
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts.limits import count
from yuplet_server.accounts.requests import SignedInRequest, checked
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.base.logs import address_of
from yuplet_server.files.answers import answered
from yuplet_server.handovers.actions import file_name, zipped
from yuplet_server.handovers.queries import hand_over_for
from yuplet_server.illustrations.queries import ready_illustration_for
from yuplet_server.projects.models import Member
from yuplet_server.receivers import actions, queries
from yuplet_server.receivers.models import Visit
from yuplet_server.receivers.serializers import (
    AnswerSerializer,
    DeliverSerializer,
    DeliverySerializer,
    MadeDeliverySerializer,
    ReceivedSerializer,
    RemarkSerializer,
    SayRemarkSerializer,
)


class DeliveriesView(APIView):
    """Links of an illustration for those who receive it and have no account."""

    @extend_schema(responses=DeliverySerializer(many=True))
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(DeliverySerializer(queries.deliveries_of(found), many=True).data)

    @extend_schema(request=DeliverSerializer, responses={201: MadeDeliverySerializer})
    def post(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.EDITOR)
        asked: dict[str, Any] = checked(DeliverSerializer, request.data).validated_data
        made = None
        if asked["hand_over"] is not None:
            made = hand_over_for(request.user, asked["hand_over"], Member.Role.EDITOR)
            if made.illustration_id != found.pk:
                raise queries.NothingThere("This hand-over is of another illustration. Reload the page and select one.")
        recipe = made.recipe["name"] if made is not None else asked["recipe"]
        if (made or queries.newest(found, recipe)) is None:
            raise queries.NothingThere("Nothing was handed over by this recipe yet. Hand over first, then make a link.")
        _, token = actions.deliver(found, request.user, asked["to"], asked["days"], recipe, made)
        return Response(MadeDeliverySerializer({"path": f"/receive/{token}", "days": asked["days"]}).data, status=201)


class DeliveryView(APIView):
    @extend_schema(responses={204: None})
    def delete(self, request: SignedInRequest, delivery: int) -> Response:
        """Take a link back."""
        actions.take_back(queries.delivery_for(request.user, delivery, Member.Role.EDITOR))
        return Response(status=204)


class RemarksView(APIView):
    """What receivers have said of the parts of an illustration."""

    @extend_schema(responses=RemarkSerializer(many=True))
    def get(self, request: SignedInRequest, illustration: int) -> Response:
        found = ready_illustration_for(request.user, illustration, Member.Role.VIEWER)
        return Response(RemarkSerializer(queries.remarks_of(found), many=True).data)


class AnswerView(APIView):
    @extend_schema(request=AnswerSerializer, responses=RemarkSerializer)
    def post(self, request: SignedInRequest, remark: int) -> Response:
        found = queries.remark_for(request.user, remark, Member.Role.EDITOR)
        asked = checked(AnswerSerializer, request.data)
        actions.answer(found, request.user, asked.validated_data["text"])
        found.refresh_from_db()
        return Response(RemarkSerializer(found).data)


class _ReceiverView(APIView):
    permission_classes = [AllowAny]


@method_decorator(ensure_csrf_cookie, name="dispatch")
class ReceivedView(_ReceiverView):
    """A package by its link, without an account."""

    @extend_schema(responses=ReceivedSerializer)
    def get(self, request: Request, token: str) -> Response:
        delivery, made = queries.opened(token)
        actions.note_visit(delivery, made, Visit.What.SEEN, address_of(request._request))
        return Response(ReceivedSerializer(queries.told_of(delivery, made)).data)


class ReceivedPictureView(_ReceiverView):
    """Its reference picture."""

    @extend_schema(responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: Request, token: str) -> HttpResponseBase:
        _, made = queries.opened(token)
        picture = queries.file_of(made, queries.package_of(made)["reference"]["file"])
        return answered(request._request, picture, "image/png")


class ReceivedPackageView(_ReceiverView):
    """All of it as a ZIP."""

    @extend_schema(responses={(200, "application/zip"): OpenApiTypes.BINARY})
    def get(self, request: Request, token: str) -> StreamingHttpResponse:
        delivery, made = queries.opened(token)
        actions.note_visit(delivery, made, Visit.What.TAKEN, address_of(request._request))
        record(
            Entry.Kind.DOWNLOAD,
            f"{file_name(made)}, by the link for '{delivery.to}'",
            delivery.illustration.project_id,
            "",
        )
        named = content_disposition_header(True, file_name(made)) or "attachment"
        return StreamingHttpResponse(
            zipped(made), content_type="application/zip", headers={"Content-Disposition": named}
        )


class ReceivedRemarksView(_ReceiverView):
    """Saying something of a part."""

    @extend_schema(request=SayRemarkSerializer, responses={201: RemarkSerializer})
    @method_decorator(csrf_protect)
    def post(self, request: Request, token: str) -> Response:
        delivery, made = queries.opened(token)
        asked = checked(SayRemarkSerializer, request.data).validated_data
        # Whoever writes without end waits longer each time.
        count([f"remark:{address_of(request._request)}"])
        return Response(RemarkSerializer(actions.remark(delivery, made, **asked)).data, status=201)
