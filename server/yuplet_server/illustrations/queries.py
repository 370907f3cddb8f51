"""Questions to illustrations: each checks who asks."""

from collections.abc import Iterable
from concurrent.futures import ThreadPoolExecutor

from django.db.models import Q
from django.http import Http404

from yuplet.pixels.scratch import Scratch
from yuplet.reading import png
from yuplet_server.accounts.models import User
from yuplet_server.illustrations.models import Illustration, LayerImage
from yuplet_server.jobs.actions import Progress
from yuplet_server.project.errors import NotNow
from yuplet_server.projects import queries
from yuplet_server.projects.models import Member
from yuplet_server.projects.storage import open_blob


def illustration_for(user: User, illustration_id: int, role: Member.Role) -> Illustration:
    """An illustration, if somebody has at least a role in its project; else Http404 or PermissionDenied."""
    # The layer tree and the report can be long, and most who ask need neither.
    found = Illustration.objects.filter(pk=illustration_id).select_related("job").defer("record", "report")
    illustration = found.first()
    if illustration is None:
        raise Http404
    queries.require(user, illustration.project_id, role)
    return illustration


def ready_illustration_for(user: User, illustration_id: int, role: Member.Role) -> Illustration:
    """The same, once it was read; raises `NotNow` before that."""
    illustration = illustration_for(user, illustration_id, role)
    if illustration.state != Illustration.State.READY:
        raise NotNow("This illustration has not been read yet. Wait until it is brought in.")
    return illustration


def holds_image(illustration: Illustration, digest: str) -> bool:
    """Whether an image with this digest belongs to an illustration."""
    if digest == illustration.preview:
        return True
    return LayerImage.objects.filter(Q(pixels=digest) | Q(thumbnail=digest), illustration=illustration).exists()


def load_pixels(illustration: Illustration, layers: Iterable[str], scratch: Scratch, progress: Progress) -> None:
    """Decode the images of layers into a scratch file, two at a time."""
    wanted = list(LayerImage.objects.filter(illustration=illustration, layer__in=list(layers)))

    def load(image: LayerImage) -> None:
        with open_blob(image.pixels) as file:
            scratch.put(image.layer, png.decode(file.read(), f"The image of layer '{image.layer}'"))

    with ThreadPoolExecutor(2) as pool:
        for done, _ in enumerate(pool.map(load, wanted), 1):
            progress("read", done, len(wanted))
