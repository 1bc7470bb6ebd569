"""Reading JSON that came from outside, strictly."""

from collections.abc import Mapping
from typing import Any

from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser

from keepsort.server import reading


class StrictJSON(JSONParser):
    """The parser of request bodies."""

    def parse(
        self,
        stream: Any,
        media_type: str | None = None,
        parser_context: Mapping[str, Any] | None = None,
    ) -> Any:
        """Return what a body holds. Raises `ParseError`."""
        try:
            return reading.json(stream.read())
        except ValueError as error:
            raise ParseError(f"The body is no JSON: {error}.") from None
