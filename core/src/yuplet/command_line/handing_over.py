"""Commands that hand over: one file or many, what would be written, what is found, and in step with a file."""

import argparse
import json
import multiprocessing
import sys
import time
from collections.abc import Iterator
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from contextlib import contextmanager, suppress
from dataclasses import replace
from pathlib import Path
from typing import Any

from yuplet.command_line import running
from yuplet.command_line.files import STANDARD_INPUT, is_pattern, named, opened, recipe_of
from yuplet.command_line.output import Progress, progress_bar, tell
from yuplet.errors import ReadError, WriteError, shown
from yuplet.paths import key

SEVERITIES = ("note", "warning", "error")


def hand_over(options: argparse.Namespace) -> int:
    """`handover`: one file into a folder, or each of several into a folder of its name in there."""
    if len(options.file) == 1 and not options.each and not is_pattern(options.file[0]):
        with opened(options.file[0], options.title) as file, progress_bar(options) as progress:
            status, report = _one(options, file, options.out, progress)
        tell(options, report)
        return status
    from yuplet.arrangement.names import usable
    from yuplet.writing.index import INDEX, require_index_of_ours, write_index
    from yuplet.writing.shared_sheets import FOLDER as SHEETS

    if STANDARD_INPUT in options.file:
        raise ReadError("Standard input is one file. Hand it over by itself.")
    files = named(options.file)
    if options.arrangement is not None and len(files) > 1:
        raise ReadError(
            "An arrangement is of one file. Put one beside each, called like it with '.arrangement.json', and add --beside."
        )
    # As file systems take it, and not in the place of the index.
    folders = {file: options.out / usable(file.stem, [INDEX, SHEETS], "picture") for file in files}
    by_key: dict[str, Path] = {}
    for file, folder in folders.items():
        other = by_key.setdefault(key(folder.name), file)
        if other != file:
            raise ReadError(
                f"{other} and {file} would both be handed over to '{folder}'. Rename one, or give them different folders."
            )
    require_index_of_ours(options.out)
    work = [(options, file, folders[file]) for file in files]
    said: list[dict[str, Any]] = []
    status = 0
    with progress_bar(options) as progress, _carried_out(options.jobs, work) as results:
        for done, (file, (one, told)) in enumerate(zip(files, results, strict=True), 1):
            said.append({"file": str(file), "out": str(folders[file]), **told})
            status = max(status, one, key=_GRAVITY.index)
            progress("files", done, len(files))
    for told in said:
        if "error" in told:
            print(told["error"], file=sys.stderr)
    if any("error" not in told for told in said):
        done_of = [file for file, told in zip(files, said, strict=True) if "error" not in told]
        sharing = {folders[file].name: recipe_of(_beside(options, file)[1]).sheets for file in done_of}
        index = write_index(options.out, options.out.resolve().name, sharing)
        tell(
            options,
            {
                "index": INDEX,
                "counts": index["counts"],
                "sheets": [sheet["file"] for sheet in index["sheets"]],
                "files": said,
            },
        )
    else:
        tell(options, {"index": None, "counts": None, "sheets": [], "files": said})
    return status


_GRAVITY = (0, running.NOT_RIGHT, running.TO_DECIDE, running.WRONG)


@contextmanager
def _carried_out(
    jobs: int, work: list[tuple[argparse.Namespace, Path, Path]]
) -> Iterator[Iterator[tuple[int, dict[str, Any]]]]:
    """What comes of each, in order; several at once in processes of their own, which end with this one."""
    if min(jobs, len(work)) < 2:
        yield (_told(*one) for one in work)
        return
    context = multiprocessing.get_context("spawn")
    with ProcessPoolExecutor(min(jobs, len(work)), context, running.end_by_signal) as pool:
        try:
            # What runs a command is no value that is sent to another process.
            plain = [argparse.Namespace(**{**vars(options), "run": None}) for options, _, _ in work]
            yield pool.map(_told, plain, *zip(*[(file, folder) for _, file, folder in work], strict=True))
        except BrokenProcessPool as error:
            raise WriteError(
                "One of the processes ended before its time, perhaps for lack of memory. What was handed over before is complete. Use fewer with"
                " --jobs."
            ) from error
        except BaseException:
            pool.shutdown(wait=False, cancel_futures=True)
            for child in multiprocessing.active_children():
                child.terminate()
            raise


def _told(options: argparse.Namespace, file: Path, folder: Path) -> tuple[int, dict[str, Any]]:
    """A report, or the sentence of what went wrong; nothing that happens to one file stops the others."""
    try:
        return _one(options, file, folder, lambda stage, done, total: None)
    except Exception as error:
        status = running.status_of(error)
        if status is None:
            raise
        return status, {"error": f"{file}: {running.sentence_of(error)}"}


def _beside(options: argparse.Namespace, file: Path) -> tuple[Path | None, str | None]:
    """The arrangement and the recipe of a file: those beside it under its name, where they are wanted and there, else those for all."""
    arrangement, recipe = file.with_name(f"{file.stem}.arrangement.json"), file.with_name(f"{file.stem}.recipe.json")
    wanted = getattr(options, "beside", False)
    return (
        arrangement if wanted and arrangement.is_file() else options.arrangement,
        str(recipe) if wanted and recipe.is_file() else options.recipe,
    )


def _one(options: argparse.Namespace, file: Path, folder: Path, progress: Progress) -> tuple[int, dict[str, Any]]:
    from yuplet.handover import hand_over_file

    arrangement, how = _beside(options, file)
    given = None
    if arrangement is not None:
        from yuplet.pipeline import read_document

        given = read_document(arrangement)
    recipe = recipe_of(how)
    if options.effort is not None:
        recipe = replace(recipe, images=replace(recipe.images, effort=options.effort))
    report, renamed, reading = hand_over_file(
        file,
        folder,
        progress,
        options.workers,
        options.remove_obsolete,
        given,
        recipe,
        arrangement,
        options.overwrite,
        options.prove_everything,
    )
    said = {
        "parts": report.parts,
        "files": report.files,
        "bytes": report.bytes,
        "seconds": report.seconds,
        "differing_pixels": report.proof.differing_pixels,
        "renamed": [{"path": list(item.path), "name": item.name, "reason": item.reason} for item in renamed],
        "obsolete": report.obsolete,
        "kept": report.kept,
        "empty": report.empty,
        "warnings": report.warnings,
        "left_alone": report.left_alone,
        "overwritten": report.overwritten,
        "proof": report.proof.as_json(),
        "notes": [{"kind": note.kind, "path": list(note.path), "sentence": note.sentence} for note in reading.notes],
    }
    return 0 if report.proof.ok else running.NOT_RIGHT, said


def plan(options: argparse.Namespace) -> int:
    """`plan`: what would be written, and what stops it."""
    from yuplet import pipeline

    with opened(options.file, options.title) as file, pipeline.open(file, options.arrangement) as work:
        said = work.planned(recipe_of(options.recipe))
    if options.json:
        tell(options, said)
    elif not options.quiet:
        for one in said["files"]:
            size = "" if one["width"] is None else f"  {one['width']} x {one['height']}"
            print(f"{one['name']}{size}")
        for note in said["notes"]:
            print(f"{note['severity']}: {note['sentence']}")
    return running.TO_DECIDE if said["stopped"] else 0


def check(options: argparse.Namespace) -> int:
    """`check`: everything that is to be looked at before a hand-over."""
    from yuplet import pipeline

    with opened(options.file, options.title) as file, pipeline.open(file, options.arrangement) as work:
        found = work.findings()
    if options.json:
        tell(options, {"findings": found})
    elif not options.quiet:
        for one in found:
            print(f"{one['severity']}: {one['sentence']}")
    worst = max((SEVERITIES.index(one["severity"]) for one in found), default=-1)
    return running.NOT_RIGHT if worst >= SEVERITIES.index(options.fail_on) else 0


def watch(options: argparse.Namespace) -> int:
    """`watch`: hand over now, and each time that the file is saved, until somebody ends it. A line of JSON for each."""
    file: Path = options.file
    if not file.is_file():
        raise ReadError(f"'{shown(str(file))}' is not there. Name the file that is saved again and again.")
    beside = [Path(one) for one in (options.arrangement, options.recipe) if one is not None and Path(one).is_file()]
    watched = {path.resolve() for path in (file, *beside)}
    folders = {path.parent for path in watched}
    try:
        seen = None
        # What happens while nobody looks is seen at the next look, so a look is had every second as well.
        for _ in _looks(folders):
            now = _saved(watched)
            if now != seen and file.is_file():
                seen = now
                _say_line(options, file)
    except (KeyboardInterrupt, running.Ended):
        pass  # that is how it ends
    return 0


_STILL = 0.3
"""Seconds without a change after which a file counts as saved."""


def _looks(folders: set[Path]) -> Iterator[None]:
    """One look at once, and one each time that something happens in folders, or after a second."""
    from watchfiles import watch as changes

    yield
    for _ in changes(*folders, recursive=False, rust_timeout=1000, yield_on_timeout=True, raise_interrupt=True):
        yield


def _saved(files: set[Path]) -> dict[Path, tuple[int, ...]]:
    """What changes when one of the files is saved; a program that saves renames, or writes in pieces, so it is waited until nothing does."""
    now = _stamps(files)
    while True:
        time.sleep(_STILL)
        before, now = now, _stamps(files)
        if now == before:
            return now


def _stamps(files: set[Path]) -> dict[Path, tuple[int, ...]]:
    found: dict[Path, tuple[int, ...]] = {}
    for file in files:
        with suppress(OSError):
            about = file.stat()
            found[file] = (about.st_ino, about.st_size, about.st_mtime_ns)
    return found


def _say_line(options: argparse.Namespace, file: Path) -> None:
    status, said = _told(options, file, options.out)
    if "error" in said:
        print(said["error"], file=sys.stderr, flush=True)
    elif not options.quiet:
        written = len(said["files"]) - len(said["kept"])
        short = {name: said[name] for name in ("parts", "seconds", "differing_pixels", "warnings")}
        print(
            json.dumps({"file": str(file), "ok": status == 0, "written": written, **short}, ensure_ascii=False),
            flush=True,
        )
