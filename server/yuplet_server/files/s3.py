"""Files in a store that speaks S3, which many machines reach.

Bytes are collected on the local disk until their name is known, and sent with a check sum that the store compares; what is read is compared
with its name. Access keys are where Amazon's own programs look for them (`AWS_ACCESS_KEY_ID`, `AWS_SECRET_ACCESS_KEY`, ...).
"""

import contextlib
import datetime
import errno
import hashlib
import logging
import tempfile
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import IO, Any
from urllib.parse import urlsplit

from boto3.exceptions import Boto3Error
from boto3.s3.transfer import TransferConfig
from botocore.config import Config
from botocore.exceptions import BotoCoreError, ClientError
from django.core.files.base import File
from django.utils import timezone
from storages.backends.s3 import S3Storage

from yuplet.errors import WriteError
from yuplet_server.base.errors import NO_ROOM, StoreAway
from yuplet_server.files.store import PIECE, BlobStore, place_of

log = logging.getLogger(__name__)

_IN_MEMORY = 8 << 20
"""Bytes of a file that are collected before they go to the disk."""
_PART = 16 << 20
"""Bytes of a part of an upload; what is larger goes in several."""
_SMALL = 1 << 20
"""A file of so many bytes is sent without asking whether it is there."""
_YOUNG = datetime.timedelta(hours=12)
"""What was sent so recently need not be sent again to be young: half the age at which what nothing refers to is removed."""
_MISSING = {"404", "NoSuchKey", "NotFound"}
_FULL = {"QuotaExceeded", "XMinioStorageFull", "507", "InsufficientStorage"}
_SIGNED_SECONDS = 300
_UPLOAD = {"ChecksumAlgorithm": "SHA256", "ContentType": "application/octet-stream"}


class S3Store(BlobStore, S3Storage):  # type: ignore[misc]
    """django-storages' S3 storage as a store of ours. `signs`: visitors take large files from the store itself; `patience` is how long it may be silent, in seconds."""

    def __init__(
        self,
        *,
        bucket: str,
        prefix: str = "",
        address: str = "",
        signs: bool = False,
        patience: float = 20,
        attempts: int = 3,
    ):
        self.signs = signs
        self._has_address = bool(address)
        self._prefix = f"{prefix}/" if prefix else ""
        super().__init__(
            bucket_name=bucket,
            endpoint_url=address or None,
            querystring_expire=_SIGNED_SECONDS,
            transfer_config=TransferConfig(multipart_threshold=_PART, multipart_chunksize=_PART, max_concurrency=4),
            client_config=Config(
                connect_timeout=min(5, patience),
                read_timeout=patience,
                retries={"total_max_attempts": attempts, "mode": "standard"},
                max_pool_connections=32,
                signature_version="s3v4",
                # Stores of one's own have no name for each bucket.
                s3={"addressing_style": "path"} if address else None,
            ),
        )

    def keep_pieces(self, pieces: Iterable[bytes]) -> str:
        try:
            with tempfile.SpooledTemporaryFile(_IN_MEMORY) as held:
                digest = hashlib.sha256()
                for piece in pieces:
                    digest.update(piece)
                    held.write(piece)
                name, size = digest.hexdigest(), held.tell()
                held.seek(0)
                if size <= _SMALL or not self._is_young(name):
                    with _asking("kept"):
                        self._client.upload_fileobj(
                            held, self.bucket_name, self._normalize_name(name), _UPLOAD, Config=self.transfer_config
                        )
        except OSError as error:
            raise WriteError(
                f"The file cannot be kept: {error.strerror}. Make room on the server's disk and try again."
            ) from error
        return name

    @contextlib.contextmanager
    def local(self, name: str) -> Iterator[Path]:
        with tempfile.NamedTemporaryFile() as file:
            self._read(name, file)
            file.flush()
            yield Path(file.name)

    def kept_before(self, moment: datetime.datetime) -> Iterator[str]:
        with _asking("listed"):
            pages = self._client.get_paginator("list_objects_v2").paginate(Bucket=self.bucket_name, Prefix=self._prefix)
            found = [one for page in pages for one in page.get("Contents", ()) if one["LastModified"] < moment]
        for one in found:
            name = one["Key"].rpartition("/")[2]
            # Whatever else is there is not ours.
            with contextlib.suppress(ValueError):
                if one["Key"] == self._normalize_name(name):
                    yield name

    def clear_unfinished(self, moment: datetime.datetime) -> None:
        with _asking("listed"):
            pages = self._client.get_paginator("list_multipart_uploads").paginate(
                Bucket=self.bucket_name, Prefix=self._prefix
            )
            for one in [one for page in pages for one in page.get("Uploads", ()) if one["Initiated"] < moment]:
                self._client.abort_multipart_upload(Bucket=self.bucket_name, Key=one["Key"], UploadId=one["UploadId"])

    def require_writable(self) -> None:
        with _asking("kept"):
            self._client.put_object(Bucket=self.bucket_name, Key=f"{self._prefix}written-last", Body=b"?")

    def exists(self, name: str) -> bool:
        with _asking("found"):
            return bool(super().exists(name))

    def delete(self, name: str) -> None:
        with _asking("removed"):
            super().delete(name)

    def stream(self, name: str) -> tuple[int, Iterator[bytes]]:
        """How many bytes a file has, and these, as they come from the store."""
        with _asking("read"):
            found = self._client.get_object(Bucket=self.bucket_name, Key=self._normalize_name(name))
        return found["ContentLength"], _pieces(found["Body"])

    def signed(self, name: str, disposition: str, content_type: str) -> str:
        """An address at which a browser takes a file from the store itself, for some minutes."""
        if not self.signs:
            return ""
        return self._signed(name, ResponseContentDisposition=disposition, ResponseContentType=content_type)

    def place_for_front(self, name: str, content_type: str) -> str:
        """Where our front server finds a file that it takes from the store by itself; nothing where it knows no store (ops/front.py)."""
        if not self._has_address:
            return ""
        address = urlsplit(self._signed(name, ResponseContentType=content_type))
        return f"/store{address.path}?{address.query}"

    def _signed(self, name: str, **answer: str) -> str:
        return str(S3Storage.url(self, name, parameters=answer))

    def _open(self, name: str, mode: str = "rb") -> File[Any]:
        held = tempfile.SpooledTemporaryFile(_IN_MEMORY)  # noqa: SIM115 - whoever reads it closes it
        try:
            self._read(name, held)
            held.seek(0)
        except BaseException:
            held.close()
            raise
        return File(held, name)

    def _read(self, name: str, into: IO[bytes]) -> None:
        """Copy a file; an `OSError` where its bytes are not those that its name tells."""
        digest = hashlib.sha256()
        for piece in self.stream(name)[1]:
            digest.update(piece)
            into.write(piece)
        if digest.hexdigest() != name:
            raise OSError(errno.EIO, f"The store has other bytes for {name} than were kept")

    def _is_young(self, name: str) -> bool:
        try:
            with _asking("found"):
                found = self._client.head_object(Bucket=self.bucket_name, Key=self._normalize_name(name))
        except FileNotFoundError:
            return False
        return bool(found["LastModified"] > timezone.now() - _YOUNG)

    def _normalize_name(self, name: str) -> str:
        return self._prefix + place_of(name)

    @property
    def _client(self) -> Any:
        return self.connection.meta.client


def _pieces(body: Any) -> Iterator[bytes]:
    with contextlib.closing(body), _asking("read"):
        yield from body.iter_chunks(PIECE)


@contextlib.contextmanager
def _asking(what: str) -> Iterator[None]:
    """What the store's library raises, as errors of ours."""
    try:
        yield
    except ClientError as error:
        code = error.response["Error"]["Code"]
        if code in _MISSING:
            raise FileNotFoundError(errno.ENOENT, "It is not in the store") from error
        if code in _FULL:
            raise WriteError(f"{NO_ROOM} Nothing was changed.") from error
        log.warning("a file cannot be %s: %s", what, error)
        raise StoreAway from error
    except (BotoCoreError, Boto3Error) as error:
        log.warning("a file cannot be %s: %s", what, error)
        raise StoreAway from error
