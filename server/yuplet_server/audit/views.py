from django.db.models import Value
from django.db.models.functions import Concat, Lower
from drf_spectacular.utils import extend_schema
from rest_framework.permissions import IsAdminUser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.audit.models import Entry
from yuplet_server.audit.serializers import AskSerializer, EntrySerializer

MOST = 100
"""Entries of one answer."""


class EntriesView(APIView):
    """Who did what, the newest first, for an administrator."""

    permission_classes = [IsAdminUser]

    @extend_schema(parameters=[AskSerializer], responses=EntrySerializer(many=True))
    def get(self, request: Request) -> Response:
        asked = AskSerializer(data=request.query_params)
        asked.is_valid(raise_exception=True)
        wanted = asked.validated_data
        found = Entry.objects.order_by("-id")
        if "before" in wanted:
            found = found.filter(id__lt=wanted["before"])
        if "kind" in wanted:
            found = found.filter(kind=wanted["kind"])
        if text := wanted.get("text", ""):
            # Columns tell capital letters from small ones; whoever searches does not.
            found = found.annotate(all=Lower(Concat("account", Value(" "), "address", Value(" "), "about")))
            found = found.filter(all__contains=text.lower())
        return Response(EntrySerializer(found[:MOST], many=True).data)
