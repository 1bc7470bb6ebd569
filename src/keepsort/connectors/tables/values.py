"""Values of a database as those of objects, and back as SQL."""

import json
from dataclasses import dataclass
from math import isfinite
from typing import Any, Literal

from psycopg import sql

from keepsort.core.model import Shape, Value
from keepsort.core.model.matching import Matching

NULL = "null"
Form = Literal["whole", "float", "bool", "json", "plain"]
_FORMS: dict[str, Form] = {
    "int2": "whole", "int4": "whole", "int8": "whole", "oid": "whole", "float4": "float",
    "float8": "float", "bool": "bool", "json": "json", "jsonb": "json",
}  # fmt: skip
#: Types that are told as texts, to keep every digit: the database takes 1.50 and 1.5 for one value.
_MATCHING: dict[str, Matching] = {
    "numeric": "decimal", "timestamp": "time", "timestamptz": "time",
}  # fmt: skip
#: Types whose values are texts that people write in several lines.
_LONG = frozenset({"text", "xml", "json", "jsonb"})


@dataclass(frozen=True)
class Type:
    """A type of a column.

    written: as SQL writes it. base: its plain name, or that of its elements where it is a list.
    comparable: whether the database knows when two of its values are equal.
    """

    written: str
    base: str
    is_list: bool = False
    comparable: bool = True

    @property
    def form(self) -> Form:
        """How a value of it is told, or one of its elements."""
        return _FORMS.get(self.base, "plain")

    @property
    def shape(self) -> Shape:
        """How values of it compare."""
        return "sequence" if self.is_list else "text" if self.base in _LONG else "single"

    @property
    def is_number(self) -> bool:
        """Tell whether its values are numbers."""
        return self.form in ("whole", "float")

    @property
    def matching(self) -> Matching:
        """What the texts that its values are told as stand for."""
        return _MATCHING.get(self.base, "literal")

    def selected(self, column: str) -> str:
        """Return SQL that gives a column of this type as the text that `read` reads."""
        if self.is_list:
            return f"to_json({column}::text[])::text"
        return f"jsonb_pretty({column})" if self.base == "jsonb" else f"{column}::text"

    def read(self, text: str | None) -> Value:
        """Read what `selected` gave. Raises ValueError."""
        if text is None or (self.form == "plain" and not self.is_list):
            return text
        return self._read_list(json.loads(text)) if self.is_list else self._read_one(text)

    def _read_list(self, found: Any) -> Value:
        if isinstance(found, list):
            return [self._read_list(one) for one in found]
        return None if found is None else self._read_one(str(found))

    def _read_one(self, text: str) -> Value:
        match self.form:
            case "whole":
                return int(text)
            case "float":
                number = float(text)
                return number if isfinite(number) else text
            case "bool":
                return text in ("t", "true")
            case _:
                return text

    def literal(self, value: Value) -> str:
        """Return a value as SQL that means just this, in every setting of the session."""
        if value is None:
            return NULL
        if self.is_list:
            return f"{string(_array(value))}::{self.written}"
        if self.form == "whole" and isinstance(value, int) and self.base != "oid":
            return str(int(value)) if value >= 0 else f"({int(value)})"
        if isinstance(value, bool):
            return "true" if value else "false"
        if self.base in ("text", "varchar"):
            return string(str(value))
        return f"{string(_plain(value))}::{self.written}"

    def same(self, name: str, literal: str) -> str:
        """Return SQL that tells whether a column of this type holds what SQL writes so."""
        column = quoted(name)
        if literal == NULL:
            return f"{column} is null"
        return f"{column} = {literal}" if self.comparable else f"{column}::text = {literal}::text"


def quoted(*names: str) -> str:
    """Return a name as SQL writes it."""
    return sql.Identifier(*names).as_string(None)


def string(text: str) -> str:
    """Return a text as SQL writes it."""
    return sql.Literal(text).as_string(None).strip()


def _plain(value: Value) -> str:
    return ("true" if value else "false") if isinstance(value, bool) else str(value)


def _array(value: Value) -> str:
    """Write a list as PostgreSQL writes arrays."""
    if value is None:
        return "NULL"
    if isinstance(value, list):
        return "{" + ",".join(map(_array, value)) + "}"
    text = _plain(value).replace("\\", "\\\\").replace('"', '\\"')
    return f'"{text}"'
