"""Trying out: a package is opened by a worker as its receiver would open it, and put together."""

from pathlib import Path, PurePosixPath
from typing import IO, Any

from django.db import transaction

from yuplet.errors import BrokenFile, TooLarge, UnsafePath, shown
from yuplet.geometry import Size
from yuplet.loose_package import package_of
from yuplet.paths import PackagePath, plain, within
from yuplet.reading import archives
from yuplet.rehearsal.lining_up import Laid, Proposal, laid_from_json
from yuplet.rehearsal.reading import Reading
from yuplet.rehearsal.trying import try_out
from yuplet_server.accounts.models import User
from yuplet_server.base.errors import NotNow
from yuplet_server.files.store import blobs
from yuplet_server.handovers.models import HandOver
from yuplet_server.illustrations.actions import packed
from yuplet_server.illustrations.models import Illustration
from yuplet_server.jobs import actions as jobs
from yuplet_server.jobs.models import Job
from yuplet_server.projects.actions import add_bytes, require_space
from yuplet_server.rehearsals.models import Rehearsal

MOST_BYTES = 1 << 30
"""Of a package from outside, packed."""
MOST_UNPACKED = 2 << 30
MOST_MORE = 5
"""Archives in which what is missing is looked for."""
PACKAGE = "package.zip"
RUNNING = (Job.State.WAITING, Job.State.RUNNING)


@transaction.atomic
def open_hand_over(hand_over: HandOver, user: User, reading: dict[str, Any]) -> Rehearsal:
    """Open the package of a hand-over, or the rehearsal of it that is there already. Raises `NotNow`."""
    if not hand_over.files:
        raise NotNow(
            f"The files of hand-over no. {hand_over.number} are not there: it is not done, or newer ones have taken their place."
            " Choose a newer one, or hand over again."
        )
    # One at a time, so that two who open it meet in the same one.
    Illustration.objects.select_for_update().get(pk=hand_over.illustration_id)
    found = Rehearsal.objects.filter(hand_over=hand_over).select_related("job").first()
    if found is None:
        found = Rehearsal.objects.create(
            illustration_id=hand_over.illustration_id,
            hand_over=hand_over,
            created_by=user,
            bytes=hand_over.package_bytes,
        )
    elif found.reading == reading and (found.result is not None or _is_running(found)):
        return found
    return _ask(found, user, reading)


def open_outside(illustration: Illustration, user: User, name: str, size: int, content: IO[bytes]) -> Rehearsal:
    """Open a package that came from outside: an archive, kept byte for byte. Raises `BrokenFile` or `TooLarge`."""
    _require_size(name, size)
    require_space(illustration.project, size)
    digest = blobs().keep(content)
    add_bytes(illustration.project_id, size)
    with transaction.atomic():
        made = Rehearsal.objects.create(
            illustration=illustration,
            name=plain(PurePosixPath(name.replace("\\", "/")).name)[-255:] or "package",
            archive=digest,
            bytes=size,
            created_by=user,
        )
        return _ask(made, user, {})


@transaction.atomic
def read_again(rehearsal: Rehearsal, user: User, reading: dict[str, Any]) -> Rehearsal:
    """Open the same package in another way. Raises `NotNow`."""
    held = Rehearsal.objects.select_for_update().get(pk=rehearsal.pk)
    if held.hand_over is not None and not held.hand_over.files:
        raise NotNow("The files of this hand-over are no longer kept. Choose a newer one.")
    return _ask(held, user, reading)


def look_for_missing(rehearsal: Rehearsal, user: User, name: str, size: int, content: IO[bytes]) -> Rehearsal:
    """Open a package again, and look for what is missing in another archive too; the same one twice is one. Raises `BrokenFile`, `TooLarge`
    or `NotNow`."""
    _require_size(name, size)
    # Kept before the row is held: it may take long.
    digest = blobs().keep(content)
    with transaction.atomic():
        held = Rehearsal.objects.select_for_update().get(pk=rehearsal.pk)
        if all(one["archive"] != digest for one in held.more):
            if len(held.more) >= MOST_MORE:
                raise NotNow(
                    f"What is missing was looked for in {MOST_MORE} places already. Put the files together, and open them as one package."
                )
            held.more = [*held.more, {"name": plain(name)[-255:], "archive": digest}]
            held.save(update_fields=["more"])
        return _ask(held, user, held.reading)


@transaction.atomic
def close(rehearsal: Rehearsal) -> None:
    """Forget a package that was opened; what is being done with it ends."""
    if rehearsal.job is not None and rehearsal.job.state in RUNNING:
        jobs.cancel(rehearsal.job)
    rehearsal.delete()


def carry_out(rehearsal_id: int, folder: Path, progress: jobs.Progress) -> jobs.Landing:
    """Unpack a package, put it together and keep the pictures; answers how that lands in the database."""
    asked = Rehearsal.objects.select_related("hand_over").get(pk=rehearsal_id)
    scratch, out = (folder / name for name in ("scratch", "out"))
    for one in (scratch, out):
        one.mkdir()
    package, more = unpacked_package(asked, folder)
    trial = try_out(
        package,
        reading_of(asked),
        scratch,
        out,
        lambda done, total: progress("try", done, total),
        elsewhere=more,
    )
    pictures = {}
    for path in sorted(out.glob("*.png")):
        with path.open("rb") as source:
            pictures[path.name] = blobs().keep(source)

    if asked.reading.get("package") and trial.places:
        written = folder / "written"
        name = PurePosixPath(asked.name).stem or "package"
        package_of(package, trial.places, Size(trial.width, trial.height), written, name, progress)
        made = (
            (path.relative_to(written).as_posix(), path.open("rb"))
            for path in sorted(written.rglob("*"))
            if path.is_file()
        )
        with packed(made, name)[2] as archive:
            pictures[PACKAGE] = blobs().keep(archive)

    def land() -> None:
        Rehearsal.objects.filter(pk=rehearsal_id).update(result=trial.as_json(), pictures=pictures)

    return land


def _require_size(name: str, size: int) -> None:
    if size == 0:
        raise BrokenFile(f"'{shown(name)}' is empty. Save it again and open it once more.")
    if size > MOST_BYTES:
        raise TooLarge(
            f"'{shown(name)}' has {size / 2**30:.1f} GiB; packages of up to {MOST_BYTES >> 30} GiB can be tried out."
        )


def _is_running(rehearsal: Rehearsal) -> bool:
    return rehearsal.job is not None and rehearsal.job.state in RUNNING


def _ask(rehearsal: Rehearsal, user: User, reading: dict[str, Any]) -> Rehearsal:
    if _is_running(rehearsal):
        raise NotNow("This package is being opened. Wait for it, or stop it first.")
    project = Illustration.objects.values_list("project_id", flat=True).get(pk=rehearsal.illustration_id)
    rehearsal.reading = reading
    # Packages from elsewhere are of any size.
    lane = Job.Lane.LONG if rehearsal.archive else Job.Lane.SHORT
    rehearsal.job = jobs.start(Job.Kind.TRY_OUT, project, rehearsal.pk, user, lane=lane)
    rehearsal.save(update_fields=["reading", "job"])
    return rehearsal


def unpacked_package(asked: Rehearsal, folder: Path) -> tuple[Path, Path]:
    """The folder of a package, and the one in which what is missing is looked for, both below a folder."""
    package, more = folder / "package", folder / "more"
    package.mkdir()
    more.mkdir()
    if asked.hand_over is not None:
        for file in asked.hand_over.files:
            blobs().link(file["sha256"], package, PackagePath(file["file"]))
    else:
        with blobs().local(asked.archive) as path:
            package = _unpacked(path, asked.name, package)
    for at, one in enumerate(asked.more):
        with blobs().local(one["archive"]) as path:
            _unpacked(path, one["name"], more / str(at))
    return package, more


def reading_of(rehearsal: Rehearsal) -> Reading:
    """How a package was asked to be read; what was proposed before stays, as long as somebody lines up by it."""
    said, before = rehearsal.reading, rehearsal.result
    columns, rows, places = said.get("columns"), said.get("rows"), said.get("places")
    is_same_whole = before is not None and said.get("reference") in (None, before["reference"])
    proposed = before.get("proposals", ()) if before is not None and is_same_whole and places is not None else ()
    return Reading(
        manifest=said.get("manifest"),
        way=said.get("way"),
        grid=(int(columns), int(rows or 1)) if columns else None,
        reference=said.get("reference"),
        places=None if places is None else laid_from_json(places),
        step=float(said.get("step", 100.0)),
        distance=float(said.get("distance", 1000.0)),
        proposals=tuple(Proposal(**{**one, "laid": one["laid"] and Laid(**one["laid"])}) for one in proposed),
    )


def _unpacked(path: Path, name: str, folder: Path) -> Path:
    """Unpack an archive, and answer the folder that holds the package: itself, or the one folder that is in it."""
    with archives.opened(path, name, MOST_UNPACKED) as archive:
        left = MOST_UNPACKED
        for entry in archive.infolist():
            # What systems leave in archives for themselves is no part of a package.
            if entry.is_dir() or any(piece.startswith((".", "__MACOSX")) for piece in entry.filename.split("/")):
                continue
            try:
                target = within(folder, PackagePath(entry.filename))
                target.parent.mkdir(parents=True, exist_ok=True)
                with target.open("xb") as out:
                    archives.copied(archive, entry, out, left)
                    left -= out.tell()
            except (UnsafePath, FileExistsError, NotADirectoryError) as error:
                why = str(error) if isinstance(error, UnsafePath) else "another one is where its folder would be."
                raise BrokenFile(f"'{shown(name)}' cannot be unpacked at '{shown(entry.filename)}': {why}") from error
    inside = list(folder.iterdir()) if folder.exists() else []
    return inside[0] if len(inside) == 1 and inside[0].is_dir() else folder
