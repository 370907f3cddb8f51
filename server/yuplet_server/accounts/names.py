"""Names of accounts: one rule, so that nobody passes for somebody else.

Look-alikes: Unicode Technical Standard 39, "Unicode Security Mechanisms", confusables.txt, as `confusable_homoglyphs` holds it.
"""

import re
import unicodedata

from confusable_homoglyphs import confusables

from yuplet.errors import YupletError, shown
from yuplet_server.accounts.models import User

SHORTEST, LONGEST = 2, 40
_RULE = re.compile(r"[^\W_](?:[\w.-]| (?! ))*\w", re.UNICODE)
_ALIKE = str.maketrans({"1": "l", "i": "l", "|": "l", "0": "o", "5": "s"})


class AccountRefused(YupletError):
    """An account cannot be called so, or cannot be removed."""

    code = "account-refused"


def require_usable(name: str) -> None:
    """Raise `AccountRefused` unless an account can be called so: letters, digits, and in between points, hyphens, low lines and single spaces.

    Names that look like that of another account are refused.
    """
    if not SHORTEST <= len(name) <= LONGEST:
        raise AccountRefused(
            f"The name '{shown(name)}' has {len(name)} letters. Choose one of {SHORTEST} to {LONGEST}."
        )
    if unicodedata.normalize("NFKC", name) != name or not _RULE.fullmatch(name):
        raise AccountRefused(
            f"The name '{shown(name)}' has other signs than letters, digits, points, hyphens and single spaces, or does not begin and end"
            " with a letter or digit. Choose another one."
        )
    own = looks(name)
    for other in User.objects.values_list("username", flat=True):
        if other == name:
            raise AccountRefused(f"There is an account '{name}' already. Choose another name.")
        if looks(other) == own:
            raise AccountRefused(
                f"The name '{name}' looks like that of the account '{shown(other)}'. Choose another one."
            )


def looks(name: str) -> str:
    """What names have in common that look alike.

    >>> looks("Ada"), looks("\\u0430da"), looks("a.d-a "), looks("l0u1s") == looks("LOUIS")
    ('ada', 'ada', 'ada', True)
    """
    plain = "".join(_latin(letter) for letter in unicodedata.normalize("NFKD", name).casefold())
    return re.sub(r"[\W_]", "", plain.translate(_ALIKE))


def _latin(letter: str) -> str:
    """The plain letter that a letter looks like, if there is one."""
    if letter.isascii() or unicodedata.combining(letter):
        return "" if unicodedata.combining(letter) else letter
    for one in confusables.is_confusable(letter, greedy=True, preferred_aliases=["latin"]) or []:
        for other in one["homoglyphs"]:
            if len(other["c"]) == 1 and other["c"].isascii() and other["c"].isalnum():
                return str(other["c"]).casefold()
    return letter
