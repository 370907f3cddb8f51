"""Packages of ours, handed over earlier: parts, groups, order, pivots and frames come back as they were.

The format is docs/formats/manifest.md.
"""

import json
import uuid
import zipfile
from pathlib import Path


def package_of(path: Path) -> uuid.UUID | None:
    """Which illustration a file is a package of; None for any other file, or a package that does not say."""
    try:
        with zipfile.ZipFile(path) as archive:
            if archive.getinfo("manifest.json").file_size > 64 << 20:
                return None
            value = json.loads(archive.read("manifest.json"))
        return uuid.UUID(value["illustration"]["id"]) if value["format"] == "yuplet-package" else None
    except (OSError, zipfile.BadZipFile, KeyError, ValueError, TypeError, AttributeError):
        return None
