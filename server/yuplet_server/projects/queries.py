"""What may be seen: nothing of a project exists for somebody who is not a member of it."""

from django.db.models import Count, OuterRef, Q, QuerySet, Subquery, Sum
from django.http import Http404
from rest_framework.exceptions import PermissionDenied

from yuplet_server.accounts.models import User
from yuplet_server.projects.models import Member, Project

_RANK = {Member.Role.VIEWER: 0, Member.Role.EDITOR: 1, Member.Role.OWNER: 2}


def projects_of(user: User) -> QuerySet[Project]:
    """The projects in which somebody is a member, with the number of illustrations that are ready."""
    ready = Count("illustrations", filter=Q(illustrations__current__state="ready"), distinct=True)
    return Project.objects.filter(members__user=user).annotate(ready=ready).order_by("name", "id")


def role_in(user: User, project_id: int, in_bin: bool = False) -> str:
    """The role of somebody in a project; raises Http404 when there is none, so that nothing is given away.

    What is in the bin is asked for by `in_bin`; for everybody else it is not there.
    """
    member = Member.objects.filter(project_id=project_id, user=user, project__removed_at__isnull=not in_bin).first()
    if member is None:
        raise Http404
    return member.role


def require(user: User, project_id: int, role: Member.Role) -> None:
    """Raise Http404 for strangers, and PermissionDenied for members whose role is too small."""
    own = role_in(user, project_id)
    if _RANK[Member.Role(own)] < _RANK[role]:
        raise PermissionDenied(f"Your role in this project is {own}; this needs {role}. Ask an owner.")


def knows(user: User, username: str) -> bool:
    """Whether somebody may learn that there is an account of this name: who shares a project knows each other, an administrator everybody."""
    own = Member.objects.filter(user=user, project__removed_at=None).values("project")
    return user.is_staff or Member.objects.filter(project__in=own, user__username=username).exists()


def project_for(user: User, project_id: int, role: Member.Role) -> Project:
    """A project, if somebody has at least a role in it."""
    require(user, project_id, role)
    return Project.objects.get(id=project_id)


def first_owner(project: Project) -> User | None:
    """Whoever has been an owner of a project for longest: for that account its files count, however many owners there are."""
    owners = Member.objects.filter(project=project, role=Member.Role.OWNER).select_related("user").order_by("pk")
    member = owners.first()
    return member.user if member else None


def bytes_of(user: User) -> int:
    """What the files of all projects take that count for an account."""
    return bytes_by_owner().get(user.pk, 0)


def bytes_by_owner() -> dict[int, int]:
    """The same of every account that has any; what is in the bin counts until it is gone for good."""
    first = Member.objects.filter(project=OuterRef("pk"), role=Member.Role.OWNER).order_by("pk").values("user")[:1]
    found = Project.everything.annotate(owner=Subquery(first)).exclude(owner=None)
    return dict(found.order_by().values_list("owner").annotate(Sum("bytes")))
