"""Words to search by: taken from names and values, and from what a person types, in one way."""

import re
from collections.abc import Iterable

from keepsort.core.model import Attributes, Schema, Value

_WORD = re.compile(r"[^\W_]+")
_MOST_WORDS = 800
_LONGEST_WORD = 60
_MOST_TEXT = 65_536


def words_of(text: str) -> list[str]:
    """Split a text into words: runs of letters and digits, without letter case."""
    return [w[:_LONGEST_WORD] for w in _WORD.findall(text[:_MOST_TEXT].casefold())]


def vector(schema: Schema, kind: str, name: str, attributes: Attributes) -> str:
    """Write the words of an object as PostgreSQL's text form of a tsvector."""
    places: dict[str, list[int]] = {}
    position = 0
    for text in (name, *texts_of(schema, kind, attributes)):
        for word in words_of(text):
            position += 1
            places.setdefault(word, []).append(position)
            if position >= _MOST_WORDS:
                return _written(places)
        position += 1  # so that no phrase reaches from one value into the next
    return _written(places)


def query(text: str) -> str:
    """Write what a person typed as a tsquery: all its words in a row, the last one begun."""
    words = words_of(text)
    return " <-> ".join([f"'{w}'" for w in words[:-1]] + [f"'{w}':*" for w in words[-1:]])


def _written(places: dict[str, list[int]]) -> str:
    return " ".join(f"'{w}':{','.join(map(str, p[:250]))}" for w, p in places.items())


def holds_words(text: str, words: list[str]) -> bool:
    """Tell whether a text holds words in a row, the last one begun, as `query` finds them."""
    *whole, begun = words
    found = words_of(text)
    return any(
        found[at : at + len(whole)] == whole and found[at + len(whole)].startswith(begun)
        for at in range(len(found) - len(whole))
    )


def texts_of(schema: Schema, kind: str, attributes: Attributes) -> Iterable[str]:
    """Yield all texts among the values of an object, secrets left out."""
    for name, value in attributes.items():
        if not schema.spec(kind, name).secret:
            yield from _of_value(value)


def _of_value(value: Value) -> Iterable[str]:
    if isinstance(value, str):
        yield value
    elif isinstance(value, list):
        for part in value:
            yield from _of_value(part)
    elif isinstance(value, dict):
        for key, part in value.items():
            yield key
            yield from _of_value(part)
    elif isinstance(value, int | float) and not isinstance(value, bool):
        yield str(value)
