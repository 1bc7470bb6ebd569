"""Printing, for people or as one JSON document."""

import base64
import json
from typing import Any

from keepsort.core.model.masks import masked_value


def _plain(value: Any) -> Any:
    if isinstance(value, bytes | memoryview):
        return {"base64": base64.b64encode(bytes(value)).decode()}
    if isinstance(value, set | frozenset | tuple):
        return list(value)
    raise TypeError(f"{type(value).__name__} has no form in JSON")


class Output:
    """Where a command's result goes."""

    def __init__(self, as_json: bool) -> None:
        self.as_json = as_json

    def document(self, value: Any) -> None:
        """Print one JSON document."""
        print(json.dumps(masked_value(value), ensure_ascii=False, default=_plain))

    def one(self, value: dict[str, Any], line: str) -> None:
        """Print one result: the document, or a line for people."""
        if self.as_json:
            self.document(value)
        else:
            print(line)

    def many(self, name: str, rows: list[dict[str, Any]], columns: list[str]) -> None:
        """Print a list: the document, or a table for people."""
        if self.as_json:
            self.document({name: rows})
            return
        table = [columns, *([str(row[c]) for c in columns] for row in rows)]
        widths = [max(len(line[n]) for line in table) for n in range(len(columns))]
        for line in table:
            print(
                "  ".join(
                    text.ljust(width) for text, width in zip(line, widths, strict=True)
                ).rstrip()
            )
