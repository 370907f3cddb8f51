"""Folders of the server's machine that the administrator has opened, each to one account or to one project."""

from pathlib import Path

from django.conf import settings

from yuplet.errors import FolderNotAllowed
from yuplet_server.accounts.models import User
from yuplet_server.projects.models import Member


def roots_for(user: User | None, project_id: int | None = None) -> list[Path]:
    """The folders that are open to somebody: those of their account, and those of a project that they may change (None: of any)."""
    if user is None:
        return []
    roles = (Member.Role.EDITOR, Member.Role.OWNER)
    own = Member.objects.filter(user=user, role__in=roles, project__removed_at=None).values_list(
        "project_id", flat=True
    )
    projects = {f"project {pk}" for pk in own if project_id in (None, pk)}
    return [path for whose, path in settings.ROOTS if whose == user.username or whose in projects]


def problem_of_piece(piece: str) -> bool:
    """Whether the system itself would take no such name: too long, or with what cannot be seen."""
    return len(piece.encode(errors="replace")) > 255 or not piece.isprintable()


def folder_at(said: str, user: User | None, project_id: int) -> Path:
    """A file or folder below one of those that are open to somebody in a project, links followed. Raises `FolderNotAllowed`."""
    roots = [root.resolve() for root in roots_for(user, project_id)]
    folder = Path(said)
    if (
        any(problem_of_piece(piece) for piece in folder.parts[1:])
        or not folder.is_absolute()
        or not any(root in folder.resolve().parents for root in roots)
    ):
        raise FolderNotAllowed(said, [str(root) for root in roots])
    return folder.resolve()
