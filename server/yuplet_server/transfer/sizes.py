"""What projects take on the disk, counted from their files."""

from typing import Any

from django.db.models import QuerySet

from yuplet_server.handovers.models import HandOver, ProjectHandOver
from yuplet_server.illustrations.models import Illustration, Revision
from yuplet_server.projects.models import Project
from yuplet_server.rehearsals.models import Film, Rehearsal
from yuplet_server.transfer.models import Archive


def count_anew(project: Project) -> None:
    """Keep how many bytes a project has."""
    found = bytes_of(project)
    if found != project.bytes:
        Project.everything.filter(pk=project.pk).update(bytes=found)


def bytes_of(project: Project) -> int:
    """What the originals, packages, films and archives of a project take."""
    sizes = _of_illustrations(illustration__project=project)
    sizes |= dict(Archive.objects.filter(project=project).exclude(sha256="").values_list("sha256", "bytes"))
    return sum((sizes | _of_packages(ProjectHandOver.objects.filter(project=project))).values())


def bytes_of_illustration(illustration: Illustration) -> int:
    """What the originals, packages and films of one illustration take."""
    return sum(_of_illustrations(illustration=illustration).values())


def _of_illustrations(**of: Any) -> dict[str, int]:
    sizes: dict[str, int] = dict(Revision.objects.filter(**of).values_list("sha256", "bytes"))
    sizes |= dict(Rehearsal.objects.filter(**of).exclude(archive="").values_list("archive", "bytes"))
    films = Film.objects.filter(**{f"rehearsal__{name}": value for name, value in of.items()}).exclude(file="")
    sizes |= dict(films.values_list("file", "bytes"))
    return sizes | _of_packages(HandOver.objects.filter(**of))


def _of_packages(some: QuerySet[Any]) -> dict[str, int]:
    lists = some.values_list("files", flat=True).iterator(chunk_size=50)
    return {file["sha256"]: file["bytes"] for files in lists for file in files}
