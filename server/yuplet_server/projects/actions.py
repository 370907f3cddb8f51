"""What is done with projects and their members."""

from django.conf import settings
from django.db import transaction
from django.db.models import F
from django.dispatch import Signal
from django.utils import timezone

from yuplet.errors import YupletError
from yuplet_server.accounts.models import User
from yuplet_server.audit.actions import record
from yuplet_server.audit.models import Entry
from yuplet_server.base.transactions import tried
from yuplet_server.projects.models import Member, Project
from yuplet_server.projects.queries import bytes_of, first_owner


class MemberRefused(YupletError):
    """A member cannot be added, changed or removed."""

    code = "member-refused"


class ProjectFull(YupletError):
    """A project, or an account with all of its projects, has as many bytes as the administrator gives one."""

    code = "project-full"


def require_space(project: Project, more: int, starts: User | None = None, of: Project | None = None) -> None:
    """Raise `ProjectFull` where a project, or the account for which it counts, cannot take so many bytes more.

    One that is not started yet has none, and counts for whoever `starts` it. What comes out of another project `of` the same account is
    nothing more for that account.
    """
    if settings.PROJECT_BYTES:
        used = Project.everything.filter(pk=project.pk).values_list("bytes", flat=True).first() or 0
        _require_room(f"'{project.name}' takes", "a project", used, more, settings.PROJECT_BYTES)
    owner = starts or first_owner(project) if settings.ACCOUNT_BYTES else None
    if owner and not (of and first_owner(of) == owner):
        used = bytes_of(owner)
        _require_room(f"The projects of '{owner.username}' take", "an account", used, more, settings.ACCOUNT_BYTES)


def _require_room(whose: str, what: str, used: int, more: int, most: int) -> None:
    if used + more > most:
        raise ProjectFull(
            f"{whose} {used / 1e9:.1f} GB of the {most / 1e9:.1f} GB that {what} may take, and this needs {more / 1e9:.2f} GB."
            " Remove illustrations that are no longer needed, or ask an administrator for more room. Nothing was changed."
        )


def add_bytes(project_id: int, more: int) -> None:
    """Say that a project has so many bytes more, once the surrounding transaction is committed.

    Within it, two that have made rows of the same project would wait for each other: each of their rows holds the project's.
    """
    same = Project.everything.filter(pk=project_id)
    transaction.on_commit(lambda: tried(lambda: same.update(bytes=F("bytes") + more)))


@transaction.atomic
def start_project(user: User, name: str) -> Project:
    """A new project with its first owner."""
    project = Project.objects.create(name=name)
    Member.objects.create(project=project, user=user, role=Member.Role.OWNER)
    return project


def rename_project(project: Project, name: str) -> None:
    """Give a project another name."""
    project.name = name
    project.save(update_fields=["name"])


removed = Signal()
"""Sent when a project, or an illustration of it, goes into the bin, with `project_id` and `illustration_id` (None: all of it): work on it ends."""


@transaction.atomic
def remove_project(project: Project, user: User) -> None:
    """Put a project into the bin."""
    project.removed_at, project.removed_by = timezone.now(), user
    project.save(update_fields=["removed_at", "removed_by"])
    record(Entry.Kind.REMOVE, f"project '{project.name}'", project.pk)
    removed.send(Project, project_id=project.pk, illustration_id=None)


def restore_project(project_id: int) -> None:
    """Take a project out of the bin."""
    Project.everything.filter(pk=project_id).update(removed_at=None, removed_by=None)
    record(Entry.Kind.RESTORE, "project", project_id)


@transaction.atomic
def set_role(project: Project, username: str, role: str) -> Member:
    """Make an account a member, or change its role; the last owner stays one. Raises `MemberRefused`."""
    user = User.objects.filter(username=username).first()
    if user is None:
        raise MemberRefused(f"There is no account '{username}'. Check the name, or ask for an account to be made.")
    if role != Member.Role.OWNER:
        _keep_an_owner(project, user)
    member, _ = Member.objects.update_or_create(project=project, user=user, defaults={"role": role})
    record(Entry.Kind.MEMBER, f"'{username}' of '{project.name}': {role}", project.pk)
    return member


@transaction.atomic
def remove_member(project: Project, user_id: int) -> None:
    """End a membership; the last owner stays. Raises `MemberRefused`."""
    member = Member.objects.filter(project=project, user_id=user_id).select_related("user").first()
    if member is None:
        raise MemberRefused("This account is not a member of the project. Nothing was changed.")
    _keep_an_owner(project, member.user)
    member.delete()
    record(Entry.Kind.MEMBER, f"'{member.user.username}' is no member of '{project.name}' any more", project.pk)


def refuse_to_leave_without_owner(user: User) -> None:
    """Raise `MemberRefused` where an account that is to be removed is the only owner of a project, in the bin or not."""
    for membership in Member.objects.filter(user=user, role=Member.Role.OWNER).select_related("project"):
        owners = Member.objects.filter(project=membership.project_id, role=Member.Role.OWNER)
        if not owners.exclude(user=user).exists():
            raise MemberRefused(
                f"'{user.username}' is the only owner of '{membership.project.name}'. Make somebody else an owner first, or remove the project."
            )


def _keep_an_owner(project: Project, leaving: User) -> None:
    owners = Member.objects.select_for_update().filter(project=project, role=Member.Role.OWNER)
    if {member.user_id for member in owners} == {leaving.pk}:
        raise MemberRefused(f"'{leaving.username}' is the only owner. Make somebody else an owner first.")
