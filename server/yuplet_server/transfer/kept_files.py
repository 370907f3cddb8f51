"""Which kept files the rows of the database refer to."""

from yuplet_server.handovers.models import HandOver, ProjectHandOver
from yuplet_server.illustrations.models import DerivedLayer, Halves, LayerImage, Revision
from yuplet_server.illustrations.queries import masks_in
from yuplet_server.rehearsals.models import Film, Rehearsal
from yuplet_server.shelf.models import Kept
from yuplet_server.transfer.models import Archive


def referred_to() -> set[str]:
    """The SHA-256 of each file that some row refers to."""
    found = {
        *(digest for row in Revision.objects.values_list("sha256", "preview", "picture") for digest in row),
        *masks_in(DerivedLayer.objects.values_list("record", flat=True)),
        *LayerImage.objects.values_list("pixels", flat=True),
        *LayerImage.objects.values_list("thumbnail", flat=True),
        *Halves.objects.values_list("file", flat=True),
        *(file["sha256"] for files in HandOver.objects.values_list("files", flat=True) for file in files),
        *(file["sha256"] for files in ProjectHandOver.objects.values_list("files", flat=True) for file in files),
        *(digest for row in Kept.objects.values_list("picture", "thumbnail") for digest in row),
        *Archive.objects.values_list("sha256", flat=True),
        *Rehearsal.objects.values_list("archive", flat=True),
        *Film.objects.values_list("file", flat=True),
        *(one["archive"] for more in Rehearsal.objects.values_list("more", flat=True) for one in more),
        *(digest for one in Rehearsal.objects.values_list("pictures", flat=True) for digest in one.values()),
    }
    # Work that is not done yet has none.
    return found - {""}
