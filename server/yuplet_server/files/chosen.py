"""Which store of files is meant: what is written of one, as settings of Django's. Plain Python, for `./start` reads it too."""

import re
from pathlib import Path
from typing import Any

S3 = r"s3://([a-z0-9][a-z0-9.-]{1,61}[a-z0-9])((?:/[A-Za-z0-9_-][A-Za-z0-9._-]*)*)/?"


def place(text: str) -> tuple[str, str] | None:
    """Bucket, and what stands before each name there; None: the disk. Raises `ValueError`."""
    found = re.fullmatch(S3, text)
    if text and not found:
        raise ValueError("s3://bucket or s3://bucket/folder")
    return (found[1], found[2].strip("/")) if found else None


def storage(where: tuple[str, str] | None, folder: Path, address: str, signs: bool) -> dict[str, Any]:
    """An entry of Django's STORAGES."""
    if where is None:
        return {"BACKEND": "yuplet_server.files.disk.DiskStore", "OPTIONS": {"location": folder}}
    options = {"bucket": where[0], "prefix": where[1], "address": address, "signs": signs}
    return {"BACKEND": "yuplet_server.files.s3.S3Store", "OPTIONS": options}
