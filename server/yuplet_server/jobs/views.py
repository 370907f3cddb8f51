from django.http import Http404
from drf_spectacular.utils import extend_schema
from rest_framework.response import Response
from rest_framework.views import APIView

from yuplet_server.accounts.requests import SignedInRequest
from yuplet_server.jobs import actions
from yuplet_server.jobs.models import Job
from yuplet_server.jobs.serializers import JobSerializer
from yuplet_server.projects import queries
from yuplet_server.projects.models import Member


def _job(request: SignedInRequest, job_id: int, role: Member.Role) -> Job:
    job = Job.objects.filter(pk=job_id).first()
    if job is None:
        raise Http404
    if request.user.is_staff:
        return job  # an administrator looks after all of them
    queries.require(request.user, job.project_id, role)
    return job


class JobView(APIView):
    """Long work that somebody asked for."""

    @extend_schema(responses=JobSerializer)
    def get(self, request: SignedInRequest, job: int) -> Response:
        return Response(JobSerializer(_job(request, job, Member.Role.VIEWER)).data)


class CancelView(APIView):
    @extend_schema(request=None, responses=JobSerializer)
    def post(self, request: SignedInRequest, job: int) -> Response:
        found = _job(request, job, Member.Role.EDITOR)
        actions.cancel(found)
        found.refresh_from_db()
        return Response(JobSerializer(found).data)
