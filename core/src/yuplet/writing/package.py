"""Carrying out a plan: images, reference pictures, tables of places and manifests; what has not changed stays as it is."""

import hashlib
import json
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor, as_completed
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from yuplet import documents
from yuplet.arrangement.tree import Row
from yuplet.errors import AnotherPackage, FolderNotOurs, UnsafePath
from yuplet.geometry import Box
from yuplet.paths import PackagePath, files_below, is_kept_everywhere, within
from yuplet.pixels.trimming import content_box
from yuplet.plan.planned import CREDITS, MANIFEST, Plan, PlannedExtra, PlannedPart, PlannedScale, PlannedSheet
from yuplet.writing import extras, files, images, incremental_reference, sheets
from yuplet.writing import manifest as manifests
from yuplet.writing.credits import credits_text
from yuplet.writing.manifest import WrittenFile
from yuplet.writing.pictures import Sources
from yuplet.writing.stores import FileStore, StagedFolder


@dataclass(frozen=True, slots=True)
class Earlier:
    """A package that is there already: its files, what is known of each that its manifests describe, and of which illustration it is (its
    id and title; empty where that is not said). `read` gives the bytes of one of its files, None where that cannot be had. `foreign` are files
    in its folder that no manifest of ours lists: they are left alone.
    """

    files: frozenset[str] = frozenset()
    known: Mapping[str, WrittenFile] = field(default_factory=dict)
    illustration: str = ""
    title: str = ""
    read: Callable[[str], bytes | None] = lambda name: None
    foreign: tuple[str, ...] = ()
    said: Mapping[str, str] = field(default_factory=dict)
    """By its name, the SHA-256 of each file that a manifest gives one for."""


def carry_out(
    plan: Plan,
    sources: Sources,
    store: FileStore,
    progress: Callable[[int, int], None],
    workers: int = 2,
    obsolete: Sequence[str] = (),
    earlier: Earlier | None = None,
) -> dict[str, WrittenFile]:
    """Write every file of a plan that has changed; the manifests come last.

    Parameters
    ----------
    plan : Plan
        What to write.
    sources : Sources
        The pixels of the layers, and the drawing that vector layers are drawn from.
    store : FileStore
        Takes the files, and takes over those of the earlier package that are as they were.
    progress : callable
        Told (images done, images in all) after each image; may raise to stop the work.
    workers : int
        Threads; each holds the pixels of one part.
    obsolete : sequence of str
        Files of an earlier package that stay in the folder, to be named in the manifest.
    earlier : Earlier
        What a file is computed from is compared by its key; a file whose bytes come out equal is not written either.

    Returns
    -------
    dict
        Every file of the package, by its name; `is_kept` tells those that were there already.
    """
    work = _Work(plan, sources, store, earlier or Earlier(), workers)
    tasks = work.tasks()
    progress(0, len(tasks))
    done = 0
    alone = [task for task in tasks if task.is_whole and not work.is_there(task)]
    # All threads together, and first: they are the largest pieces of work.
    for task in alone:
        work.write_task(task)
        done += 1
        progress(done, len(tasks))
    with ThreadPoolExecutor(workers) as pool:
        # The largest pieces first, so that no thread is left with a large one at the end.
        rest = sorted((task for task in tasks if task not in alone), key=lambda task: -task.pixels)
        futures = [pool.submit(work.write_task, task) for task in rest]
        try:
            for future in as_completed(futures):
                future.result()
                done += 1
                progress(done, len(tasks))
        except BaseException:
            pool.shutdown(cancel_futures=True)
            raise
    for one in plan.extras:
        if one.file not in work.written and one.kind not in files.WHOLE:
            work.write(one.file, extras.made(plan, one, sources), one.key)
    work.write(CREDITS, credits_text(plan.title, plan.credit).encode())
    for at in plan.scales:
        work.write(at.table, manifests.places_table(plan, at))
        for sheet in at.sheets:
            if sheet.table:
                work.write(sheet.table, sheets.table(plan, at, sheet))
    for at in reversed(plan.scales):
        value = manifests.manifest(plan, at, work.written, obsolete, comes_back(plan, at, sources))
        work.write(at.manifest, _manifest_file(value))
    return work.written


def say_unproved(staged: StagedFolder, written: dict[str, WrittenFile]) -> None:
    """Say in the main manifest of a package that was written that it did not come back: until then it says that it did."""
    value = documents.parsed(within(staged.folder, PackagePath(MANIFEST)).read_bytes())
    data = _manifest_file({**value, "proved": False})
    staged.write(PackagePath(MANIFEST), data)
    written[MANIFEST] = WrittenFile(len(data), hashlib.sha256(data).hexdigest())


def _manifest_file(value: Mapping[str, Any]) -> bytes:
    return json.dumps(value, indent=1, ensure_ascii=False).encode()


@dataclass(frozen=True, slots=True)
class _Task:
    """The images of one part at one scale, a sheet, or a combination; without any, the reference picture."""

    at: PlannedScale
    planned: PlannedPart | None = None
    sheet: PlannedSheet | None = None
    combination: PlannedExtra | None = None

    @property
    def is_whole(self) -> bool:
        """Whether it is a picture of the whole canvas."""
        return self.planned is None and self.sheet is None

    @property
    def pixels(self) -> int:
        """How much work it is, about."""
        if self.sheet is not None:
            return self.sheet.size.pixels * (len(self.sheet.members) if self.sheet.kind == "animation" else 1)
        return self.at.canvas.pixels if self.planned is None else self.at.images[self.planned.part.id].box.size.pixels


class _Work:
    """What has been written so far, and how; safe to use from several threads."""

    def __init__(self, plan: Plan, sources: Sources, store: FileStore, earlier: Earlier, workers: int) -> None:
        self.plan, self.sources, self.store, self.earlier, self.workers = plan, sources, store, earlier, workers
        self.written: dict[str, WrittenFile] = {}

    def tasks(self) -> list[_Task]:
        """What there is to be drawn; what is as it was is taken over at once."""
        found = []
        for one in self.plan.extras:
            if not self._is_kept(one.file, one.key) and one.kind in files.WHOLE:
                found.append(_Task(self.plan.main, combination=one))
        for at in self.plan.scales:
            if not self._is_kept(at.reference, at.reference_key):
                found.append(_Task(at))
            for planned in self.plan.parts:
                image = at.images[planned.part.id]
                own = [frame for frame in image.frames if frame.id == frame.file]
                kept = [self._is_kept(frame.file, frame.key) for frame in own]
                if image.is_own and not all(kept):
                    found.append(_Task(at, planned))
            found += [_Task(at, sheet=sheet) for sheet in at.sheets if not self._is_sheet_kept(sheet)]
        return found

    def _write_combination(self, one: PlannedExtra) -> None:
        """Draw and write a flat picture of the figure in one form, or all moments of it."""
        if one.frames:
            self.write(one.file, files.moving(self.plan, one, self.sources, self.workers), one.key)
        else:
            self._write_whole(self.plan.main, one.file, one.tree, one.key)

    def _is_sheet_kept(self, sheet: PlannedSheet) -> bool:
        known = [self.earlier.known.get(member.frame.id) for member in sheet.members]
        if None in known or not self._is_kept(sheet.file, sheet.key):
            return False
        for member, one in zip(sheet.members, known, strict=True):
            assert one is not None
            self.written[member.frame.id] = one.again
        return True

    def _is_kept(self, name: str, key: str) -> bool:
        if name in self.written:
            return True
        known = self.earlier.known.get(name)
        if known is None or not key or known.key != key or not self.store.keep(PackagePath(name)):
            return False
        self.written[name] = known.again
        return True

    def write_task(self, task: _Task) -> None:
        """Draw and write what a task is about."""
        if task.combination is not None:
            self._write_combination(task.combination)
        elif task.sheet is not None:
            self._write_sheet(task.at, task.sheet)
        elif task.planned is not None:
            self._write_part(task, task.planned)
        else:
            self._write_whole(task.at, task.at.reference, self.plan.tree, task.at.reference_key)

    def is_there(self, task: _Task) -> bool:
        """Whether the picture of a task was there already, so that most of it may be as it was."""
        name = task.at.reference if task.combination is None else task.combination.file
        return name in self.earlier.known

    def _write_sheet(self, at: PlannedScale, sheet: PlannedSheet) -> None:
        pictures, data = files.sheet(self.plan, at, sheet, self.sources)
        self.write(sheet.file, data, sheet.key)
        file = self.written[sheet.file]
        exact = sheet.images.is_exact_for(2 if sheet.kind == "animation" else 1)
        for member, picture in zip(sheet.members, pictures, strict=True):
            crc = f"{images.crc32(picture):08x}" if exact else ""
            self.written[member.frame.id] = replace(
                file, pixels_crc32=crc, key=member.frame.key, content=content_box(picture)
            )

    def _write_part(self, task: _Task, planned: PlannedPart) -> None:
        """Draw and write each frame of a part that is not there already."""
        image = task.at.images[planned.part.id]
        for index, frame in enumerate(image.frames):
            if frame.file in self.written:
                continue
            picture, data = files.image(self.plan, task.at, planned, index, self.sources)
            exact = images.crc32(picture) if planned.images.is_exact else None
            self.write(frame.file, data, frame.key, exact, content_box(picture))

    def _write_whole(self, at: PlannedScale, name: str, tree: tuple[Row, ...], key: str) -> None:
        earlier = self.earlier.read(name) if name in self.earlier.known else None
        made = incremental_reference.written(self.plan, at, tree, self.sources, self.workers, earlier)
        self.write(name, made.data, key, made.pixels_crc32)

    def write(
        self, name: str, data: bytes, key: str = "", pixels_crc32: int | None = None, content: Box | None = None
    ) -> None:
        """Keep a file; one that has the bytes that it had is left alone."""
        crc = "" if pixels_crc32 is None else f"{pixels_crc32:08x}"
        made = WrittenFile(len(data), hashlib.sha256(data).hexdigest(), crc, key, content)
        known = self.earlier.known.get(name)
        if known is not None and known.sha256 == made.sha256 and self.store.keep(PackagePath(name)):
            made = made.again
        else:
            self.store.write(PackagePath(name), data)
        self.written[name] = made


def comes_back(plan: Plan, at: PlannedScale, sources: Sources) -> bool:
    """Whether the picture put together from the images of a scale must be the reference to the pixel."""
    if not all(planned.images.is_exact_for(len(planned.part.frames)) for planned in plan.parts):
        return False
    drawn = sources.drawing is not None and all(
        incremental_reference.is_drawn_anew(plan, planned.part) for planned in plan.parts
    )
    return at.factor == 1 or not plan.recipe.smooth or drawn


def earlier_package(folder: Path) -> Earlier:
    """The package that a folder holds; an empty one for an empty or absent folder.

    Files of others may lie among those of a package. Raises `FolderNotOurs` where there are some and no manifest of ours (those that file
    managers and version control keep everywhere do not count), or where a file of ours is a link.
    """
    if not folder.exists():
        return Earlier()
    if not folder.is_dir():
        raise FolderNotOurs(str(folder), folder.name)
    names = files_below(folder)
    if not names:
        return Earlier()
    try:
        earlier = read_earlier(lambda name: within(folder, name).read_bytes())
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError, UnsafePath):
        earlier = Earlier()
    foreign = [name for name in names if name not in earlier.files]
    strange = [name for name in foreign if not earlier.files and not is_kept_everywhere(name)]
    strange += [name for name in names if name in earlier.files and (folder / name).is_symlink()]
    if strange:
        raise FolderNotOurs(str(folder), strange[0])
    found = {name: within(folder, PackagePath(name)) for name in names if name in earlier.files}
    # What somebody has changed since is not taken over.
    known = {
        name: file for name, file in earlier.known.items() if name in found and found[name].stat().st_size == file.bytes
    }

    def read(name: str) -> bytes | None:
        try:
            return found[name].read_bytes()
        except OSError:
            return None

    return replace(earlier, files=frozenset(found), known=known, read=read, foreign=tuple(foreign))


def edited_since(folder: Path, earlier: Earlier, workers: int = 2) -> list[str]:
    """The files of a package in a folder that are not as they were written, in order; the manifests themselves are not looked at."""

    def is_edited(name: str) -> bool:
        was = earlier.said.get(name)
        with within(folder, PackagePath(name)).open("rb") as content:
            return bool(was) and hashlib.file_digest(content, "sha256").hexdigest() != was

    names = sorted(earlier.files)
    with ThreadPoolExecutor(workers) as pool:
        return [name for name, edited in zip(names, pool.map(is_edited, names), strict=True) if edited]


def require_same_illustration(earlier: Earlier, illustration_id: str, folder: Path) -> None:
    """Raise `AnotherPackage` where a folder holds a package of another illustration, whose files would be taken for old ones."""
    if earlier.illustration and illustration_id and earlier.illustration != illustration_id:
        raise AnotherPackage(str(folder), earlier.title)


def read_earlier(read: Callable[[PackagePath], bytes]) -> Earlier:
    """What the manifests of a package say of its files; `read` gives the bytes of one by its name. Raises what that raises, `UnsafePath`
    where a name leaves the package, or for anything that is no manifest of ours `ValueError`, `KeyError` or `TypeError`.
    """
    names: set[str] = set()
    known: dict[str, WrittenFile] = {}
    said_of = ("", "")
    waiting = [PackagePath(MANIFEST)]
    while waiting:
        name = waiting.pop()
        data = read(name)
        value: Any = documents.parsed(data)
        documents.require(value, "package")
        said_of = (str(value["illustration"]["id"]), str(value["illustration"]["title"]))
        known[name] = WrittenFile(len(data), hashlib.sha256(data).hexdigest())
        for file, said in manifests.files_of(value).items():
            names.add(PackagePath(file))
            if said is not None:
                known[file] = said
        others = (PackagePath(one["manifest"]) for one in value.get("scales", ()))
        waiting += [other for other in others if other not in known and other not in waiting]
    hashes = {name: one.sha256 for name, one in known.items()}
    return Earlier(frozenset({*names, *known}), known, *said_of, said=hashes)
