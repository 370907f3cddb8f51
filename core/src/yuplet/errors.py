"""What an artist can mend. Each error says what happened, where, and what to do about it.

Mistakes in our own code stay ``ValueError``.
"""

from collections.abc import Sequence


def shown(text: object, longest: int = 80) -> str:
    """A text from outside as it may stand in a sentence: invisible characters told by their numbers, and not too much of it.

    >>> shown("a\\0b" + "c" * 100, 8)
    'a\\\\x00bcc...'
    """
    plain = "".join(
        letter if letter.isprintable() else letter.encode("unicode_escape").decode()
        for letter in str(text)[: 2 * longest]
    )
    return plain if len(plain) <= longest else f"{plain[:longest]}..."


def some(names: Sequence[str]) -> str:
    """The first of some names, and how many more there are.

    >>> some("abcde")
    "'a', 'b', 'c' and 2 more"
    """
    first = ", ".join(f"'{name}'" for name in names[:3])
    return first if len(names) <= 3 else f"{first} and {len(names) - 3} more"


class YupletError(Exception):
    """The root of everything a user can mend; ``code`` is stable, the sentence is for people."""

    code = "error"


class UnsafePath(YupletError):
    """A path cannot be used inside a package."""

    code = "unsafe-path"

    def __init__(self, path: object, reason: str) -> None:
        super().__init__(
            f"The path '{shown(path)}' {reason}. Nothing was written there. Use a relative path of plain names, such as 'parts/lamp.png'."
        )


class ReadError(YupletError):
    """A file cannot be brought in."""

    code = "cannot-read"


class NotAPicture(ReadError):
    """The file is of no kind that Yuplet reads."""

    code = "not-a-picture"

    def __init__(self, name: str) -> None:
        super().__init__(
            f"'{name}' is not a picture that Yuplet reads. Save it as OpenRaster, SVG, OpenEXR, PNG, JPEG, WebP, TIFF, GIF or AVIF,"
            " or pack such pictures into a ZIP, and bring it in again."
        )


class BrokenFile(ReadError):
    """The file claims to be of a kind that Yuplet reads, but parts of it are damaged."""

    code = "broken-file"


class UnsafeFile(ReadError):
    """The file asks for something that no picture needs, such as a path that leaves its archive."""

    code = "unsafe-file"


class ChoiceError(ReadError):
    """A file cannot be read in the way that was chosen."""

    code = "cannot-choose"


class TooLarge(ReadError):
    """The file is beyond a stated limit."""

    code = "too-large"


class ChangedWhileRead(ReadError):
    """A file was saved again while it was being read."""

    code = "changed-while-read"

    def __init__(self, file: str) -> None:
        super().__init__(f"'{file}' was saved again while it was being read. Nothing was written. Try again.")


class ArrangementError(YupletError):
    """A command cannot be applied to the arrangement as it is."""

    code = "cannot-do"


class NoSuchRow(ArrangementError):
    """A command names a part or group that is not there (any more)."""

    code = "no-such-row"

    def __init__(self, row_id: str) -> None:
        super().__init__(f"The part or group '{row_id}' no longer exists. Nothing was changed. Select another one.")


class NameNotUsable(ArrangementError):
    """A name cannot be used for a file; ``proposal`` can."""

    code = "name-not-usable"

    def __init__(self, name: str, reason: str, proposal: str) -> None:
        super().__init__(f"The name '{name}' {reason}. Use '{proposal}' or another name.")
        self.name, self.reason, self.proposal = name, reason, proposal


class NamesNotUnderstood(ArrangementError):
    """A change of many names is not understood."""

    code = "names-not-understood"


class Locked(ArrangementError):
    """A command would change a part that is locked."""

    code = "locked"

    def __init__(self, name: str) -> None:
        super().__init__(f"'{name}' is locked. Nothing was changed. Unlock it (K) first.")


class CannotMove(ArrangementError):
    """A row cannot be put where the command wants it."""

    code = "cannot-move"


class CannotJoin(ArrangementError):
    """Rows cannot become one part, or a part not several."""

    code = "cannot-join"


class TooManyRows(ArrangementError):
    """There would be more rows than an illustration takes."""

    code = "too-many-rows"

    def __init__(self, count: int, most: int) -> None:
        super().__init__(
            f"That would be {count:,} rows; an illustration takes up to {most:,}. Nothing was changed. Merge or remove some first."
        )


class CannotCarry(ArrangementError):
    """A part cannot carry another one."""

    code = "cannot-carry"


class ArrangementNotUnderstood(ArrangementError):
    """A document is no arrangement, or one of another illustration."""

    code = "arrangement-not-understood"


class NotFrames(ArrangementError):
    """A stack cannot be read as frames, or frames not as parts."""

    code = "not-frames"


class SelectionError(YupletError):
    """What is to be selected, or made of a selection, cannot be."""

    code = "cannot-select"


class NothingThere(SelectionError):
    """A click met no art."""

    code = "nothing-there"


class NothingChosen(SelectionError):
    """A selection holds no pixel."""

    code = "nothing-chosen"


class CannotTakeOut(SelectionError):
    """A selection cannot become a part of its own."""

    code = "cannot-take-out"


class PlanError(YupletError):
    """A hand-over cannot be planned."""

    code = "cannot-plan"


class NoSuchPicture(PlanError):
    """A plan has no picture of that name."""

    code = "no-such-picture"

    def __init__(self, file: str) -> None:
        super().__init__(f"The plan no longer has the picture '{file}'. Reload the plan.")


class NothingToHandOver(PlanError):
    """No included part has a visible pixel."""

    code = "nothing-to-hand-over"

    def __init__(self) -> None:
        super().__init__("No included part has any visible pixel. Include at least one part that is not empty.")


class RecipeNotUnderstood(PlanError):
    """A recipe says something that no recipe can say."""

    code = "recipe-not-understood"

    def __init__(self, where: str, what: str) -> None:
        at = f" at '{where}'" if where else ""
        super().__init__(f"The recipe cannot be understood{at}: {what}. Change that and try again.")


class NamesClash(PlanError):
    """Two files of a hand-over would have the same name."""

    code = "names-clash"

    def __init__(self, file: str, parts: tuple[str, str], more: int) -> None:
        others = f" So would {more} more." if more else ""
        super().__init__(
            f"'{parts[0]}' and '{parts[1]}' would both be written as '{file}'.{others}"
            " Add a piece to the names that tells them apart, or keep the group folders."
        )


class PartTooLarge(PlanError):
    """A part fits on no sheet."""

    code = "part-too-large"

    def __init__(self, width: int, height: int, longest: int) -> None:
        super().__init__(
            f"A part is {width} × {height} px with its spacing, and a sheet takes up to {longest} px."
            " Choose a larger sheet or a smaller size."
        )


class StoppedByFindings(PlanError):
    """There are findings that are errors."""

    code = "stopped-by-findings"

    def __init__(self, sentences: Sequence[str]) -> None:
        more = f" ({len(sentences) - 1} more like it.)" if len(sentences) > 1 else ""
        super().__init__(f"{sentences[0]}{more} Nothing was written. Fix this in Put in order, then hand over.")


class WriteError(YupletError):
    """A package cannot be written."""

    code = "cannot-write"


class FolderNotOurs(WriteError):
    """The folder holds something else than a package of ours."""

    code = "folder-not-ours"

    def __init__(self, folder: str, found: str) -> None:
        super().__init__(
            f"The folder '{folder}' holds '{found}', which is not part of a package."
            " Nothing was written. Choose an empty folder or one that holds an earlier package."
        )


class EditedSince(WriteError):
    """Files of an earlier package are not as they were written; `files` are their names."""

    code = "edited-since"

    def __init__(self, folder: str, files: list[str]) -> None:
        self.files = files
        super().__init__(
            f"In '{folder}' somebody has changed {some(files)} since it was handed over, and this would overwrite that. Nothing was written."
            " Keep what was changed elsewhere, or say that it may be overwritten."
        )


class FolderBusy(WriteError):
    """Another hand-over is being written to the folder."""

    code = "folder-busy"

    def __init__(self, folder: str) -> None:
        super().__init__(
            f"Another hand-over is being written to '{folder}'. Nothing was written. Wait until it has ended, and try again."
        )


class AnotherPackage(WriteError):
    """The folder holds a package of another illustration."""

    code = "another-package"

    def __init__(self, folder: str, title: str) -> None:
        super().__init__(
            f"The folder '{folder}' holds a package of another illustration, '{title}'. Nothing was written. Choose another folder."
        )


class FolderNotAllowed(WriteError):
    """A folder on the server's machine that the administrator has not opened."""

    code = "folder-not-allowed"

    def __init__(self, folder: str, roots: Sequence[str]) -> None:
        opened = " or ".join(f"'{root}'" for root in roots)
        todo = (
            f"Give one below {opened}."
            if roots
            else "The administrator opens folders to accounts or projects by the setting YUPLET_ROOTS."
        )
        super().__init__(
            f"The folder '{shown(folder)}' on the server's machine is not open to you in this project. {todo}"
        )


class Cancelled(YupletError):
    """Somebody asked for the work to stop; nothing half-made remains."""

    code = "cancelled"

    def __init__(self) -> None:
        super().__init__("The work was cancelled. Nothing was kept of it.")


class PackageError(YupletError):
    """A package cannot be opened by the rehearsal."""

    code = "cannot-open-package"


class MotionError(YupletError):
    """A motion does not say what it must, or cannot be carried out."""

    code = "cannot-move-like-this"


class NoSuchGrid(PackageError):
    """A sheet cannot be cut into so many columns and rows."""

    code = "no-such-grid"
