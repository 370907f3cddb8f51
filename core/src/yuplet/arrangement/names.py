"""Names of parts and groups that can be names of files, and better ones for those that cannot.

What a file system takes is in `yuplet.paths`. Look-alike letters: Unicode Technical Standard 39, "Unicode Security Mechanisms", confusables.txt, as `confusable_homoglyphs` holds it.
"""

import re
import unicodedata
from collections import Counter
from collections.abc import Iterable

from pathvalidate import sanitize_filename

from yuplet.paths import LONGEST
from yuplet.paths import key as key
from yuplet.paths import problem as problem

SIDES = re.compile(
    r"(?<![A-Za-z])(?:left|right|Left|Right|LEFT|RIGHT|[lrLR])(?![A-Za-z])|(?<=[a-z])(?:Left|Right)(?![a-z])"
    r"|(?<![A-Za-z])(?:left|right)(?=[A-Z])"
)
_DEFAULT = re.compile(
    r"(?:layer|group|part|path|shape|object|image|picture|rectangle|ellipse|circle|polygon|line|text|folder|untitled|unnamed|new)"
    r"(?:[ _\-.#]*\d+)?",
    re.IGNORECASE,
)


def look_alikes(name: str) -> dict[str, str]:
    """Letters of another alphabet than most of a name, each with the letter of that one which it looks like.

    >>> look_alikes("\u0430rm"), look_alikes("\u0440\u0443\u043a\u0430"), look_alikes("delta \u0394")
    ({'\u0430': 'a'}, {}, {})
    """
    if name.isascii():
        return {}
    from confusable_homoglyphs import categories, confusables  # its tables take long to load

    alphabets = {letter: categories.alias(letter) for letter in name if letter.isalpha()}
    counts = Counter(alphabets[letter] for letter in name if letter in alphabets)
    if len(counts) < 2:
        return {}
    usual = counts.most_common(1)[0][0]
    found = {}
    for letter, alphabet in alphabets.items():
        if alphabet == usual:
            continue
        for one in confusables.is_confusable(letter, greedy=True, preferred_aliases=[usual]) or []:
            like = [
                other["c"]
                for other in one["homoglyphs"]
                if len(other["c"]) == 1
                and categories.alias(other["c"]) == usual
                and other["c"].isupper() == letter.isupper()
            ]
            if like:
                found[letter] = like[0]
    return found


def said_of_letters(name: str) -> str | None:
    """Which letters of a name are of another alphabet than most of it and look like one of that; None where there are none.

    >>> said_of_letters("\u0430rm"), said_of_letters("arm")
    ("'\u0430' (U+0430) is no 'a'", None)
    """
    like = look_alikes(name)
    return ", ".join(f"'{letter}' (U+{ord(letter):04X}) is no '{other}'" for letter, other in like.items()) or None


def is_default(name: str) -> bool:
    """Whether a name is one that programs give by themselves, so that nobody has named it (common practice, no published source).

    >>> [name for name in ("Layer 12", "group", "Path", "arm 2", "untitled-3", "layer of mud") if is_default(name)]
    ['Layer 12', 'group', 'Path', 'untitled-3']
    """
    return _DEFAULT.fullmatch(name) is not None


def usable(name: str, taken: Iterable[str] = (), otherwise: str = "part") -> str:
    """The name itself where it can be used and none of those taken is like it, else a proposal.

    >>> usable("arm", ["Arm"]), usable("leg", ["arm"])
    ('arm 2', 'leg')
    """
    used = list(taken)
    if problem(name) is None and key(name) not in {key(other) for other in used}:
        return name
    return proposal(name, used, otherwise)


def other_side(name: str) -> str:
    """A name with left and right changed over, in whatever letters; single ones where they stand apart.

    Common practice, no published source: 'left', 'right' and 'L', 'R' after or before a separator.

    >>> [other_side(name) for name in ("Left arm", "leg_R", "eyeRight", "r.hand", "collar", "bright")]
    ['Right arm', 'leg_L', 'eyeLeft', 'l.hand', 'collar', 'bright']
    """

    def swapped(found: re.Match[str]) -> str:
        word = found[0]
        other = {"left": "right", "right": "left", "l": "r", "r": "l"}[word.lower()]
        return other.upper() if word.isupper() else other.capitalize() if word[0].isupper() else other

    return SIDES.sub(swapped, name)


def proposal(name: str, taken: Iterable[str] = (), otherwise: str = "part") -> str:
    """A usable name near to the wished one that is not among those taken.

    >>> proposal("arm:left", ["arm-left"])
    'arm-left 2'
    """
    text = "".join(
        " " if unicodedata.category(letter) in ("Zl", "Zp") or letter in "\t\n\r" else letter
        for letter in name
        if letter in "\t\n\r" or unicodedata.category(letter) not in ("Cc", "Cf", "Cs")
    )
    text = sanitize_filename(text, replacement_text="-", platform="universal", validate_after_sanitize=False)
    text = re.sub(r"\s+", " ", text).strip(" .")
    text = text.encode()[: LONGEST - 4].decode(errors="ignore").strip(" .")
    if not text.strip("-_ "):
        text = otherwise
    if problem(text) is not None:
        text = f"{otherwise} {text.replace('$', '').strip('_')}"
    used = {key(other) for other in taken}
    candidate, number = text, 2
    while key(candidate) in used:
        candidate, number = f"{text} {number}", number + 1
    return candidate
