"""Reading JSON that came from outside, strictly."""

from collections.abc import Mapping
from typing import Any

import msgspec
from rest_framework.exceptions import ParseError
from rest_framework.parsers import JSONParser


def read_json(data: bytes | str) -> Any:
    """Read JSON (RFC 8259). Raises ValueError with what is wrong.

    Half a surrogate pair is no character, and what is nested without end is refused.
    """
    try:
        return msgspec.json.decode(data)
    except RecursionError:
        raise ValueError("it is nested too deep") from None
    except (msgspec.MsgspecError, UnicodeError) as error:
        raise ValueError(str(error)) from None


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
            return read_json(stream.read())
        except ValueError as error:
            raise ParseError(f"The body is no JSON: {error}.") from None
