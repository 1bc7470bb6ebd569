"""What every address of the API answers where something cannot be, for its schema."""

from typing import Any

_SHAPE = {
    "type": "object",
    "description": "What cannot be, and the way out.",
    "properties": {"error": {"type": "string"}, "way_out": {"type": "string"}},
    "required": ["error", "way_out"],
}
_WORDS = {
    "400": "What was asked for is not as it should be.",
    "403": "Nobody is signed in, or the role does not allow it.",
    "404": "There is no such thing.",
    "409": "It does not fit to how things stand now.",
    "413": "What was sent is too large.",
    "429": "It was asked for too often.",
    "502": "The live system cannot be reached, or does not take the account.",
    "503": "The database, or what was to answer, is busy or away.",
}


def add_refusals(result: dict[str, Any], **_: Any) -> dict[str, Any]:
    """Add the errors that any address may answer with to a schema (OpenAPI 3, section 4.8.17)."""
    result.setdefault("components", {}).setdefault("schemas", {})["Refusal"] = _SHAPE
    content = {"application/json": {"schema": {"$ref": "#/components/schemas/Refusal"}}}
    for methods in result["paths"].values():
        for operation in methods.values():
            for status, words in _WORDS.items():
                found = {"description": words, "content": content}
                operation["responses"].setdefault(status, found)
    return result
