"""How JSON in a request is read: within limits, and as an object, which is what every address wants."""

from collections.abc import Mapping
from typing import IO, Any

from django.conf import settings
from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser

from yuplet import documents


class DocumentParser(JSONParser):
    """DRF's parser with the core's limits; `null`, a list or a text instead of an object is refused with a sentence."""

    def parse(
        self, stream: IO[Any], media_type: str | None = None, parser_context: Mapping[str, Any] | None = None
    ) -> dict[str, Any]:
        most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE
        try:
            value = documents.parsed(stream.read(most + 1), most)
        except ValueError as error:
            raise ParseError(f"What was sent {error}. Nothing was changed.") from error
        if not isinstance(value, dict):
            raise ParseError("What was sent is no JSON object. Nothing was changed.")
        return value
