"""What projects take on the disk, counted from their files."""

from yuplet_server.handovers.models import HandOver, ProjectHandOver
from yuplet_server.illustrations.models import Revision
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
    of = {"illustration__project": project}
    sizes: dict[str, int] = dict(Revision.objects.filter(**of).values_list("sha256", "bytes"))
    sizes |= dict(Rehearsal.objects.filter(**of).exclude(archive="").values_list("archive", "bytes"))
    sizes |= dict(
        Film.objects.filter(rehearsal__illustration__project=project).exclude(file="").values_list("file", "bytes")
    )
    sizes |= dict(Archive.objects.filter(project=project).exclude(sha256="").values_list("sha256", "bytes"))
    for kind in (HandOver.objects.filter(**of), ProjectHandOver.objects.filter(project=project)):
        for files in kind.values_list("files", flat=True).iterator(chunk_size=50):
            sizes |= {file["sha256"]: file["bytes"] for file in files}
    return sum(sizes.values())
