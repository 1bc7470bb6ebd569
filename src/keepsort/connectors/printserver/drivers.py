"""Drivers as texts (PostScript Printer Description, version 4.3), and the options set in them.

What is set of an option stands in the text, as its default. It is told apart from the rest, so that
one of them goes back alone, and the driver stays what it is whatever is set.
"""

import re
from collections.abc import Mapping
from itertools import islice

#: The beginning of an option that somebody can set (section 5.2), with what people call it.
_OPTION = re.compile(r"^\*(?:JCL)?OpenUI\s+\*([^:/\s]+)(?:/([^:\r\n]*))?[ \t]*:", re.MULTILINE)
_DEFAULT = re.compile(r"^(\*Default([^:\s]+)\s*:[ \t]*)([^\r\n]*)", re.MULTILINE)
#: The paper is set by several, which always agree.
_WITH_PAPER = ("PageRegion", "ImageableArea", "PaperDimension")
_PAPER = "PageSize"
#: Of a driver with more options these are told in words.
_MOST_IN_WORDS = 200


def divided(text: str) -> tuple[str, dict[str, str]]:
    """Return a driver without what is set in it, and what is set of each option."""
    defaults = {found[2]: found[3].strip() for found in _DEFAULT.finditer(text)}
    known = {found[1] for found in _OPTION.finditer(text)} - set(_WITH_PAPER)
    options = {name: value for name, value in defaults.items() if name in known and value}
    apart = {*options, *(_WITH_PAPER if _PAPER in options else ())}

    def without(found: re.Match[str]) -> str:
        return found[1].rstrip() if found[2] in apart else found[0]

    return _DEFAULT.sub(without, text), options


def joined(text: str, options: Mapping[str, str]) -> str:
    """Return a driver in which options are set; what is not named stays without a default."""

    def within(found: re.Match[str]) -> str:
        name = found[2]
        if found[3].strip():
            return found[0]
        value = options.get(_PAPER if name in _WITH_PAPER else name)
        return f"*Default{name}: {value}" if value else found[0]

    return _DEFAULT.sub(within, text)


def in_words(text: str, options: Mapping[str, str]) -> dict[str, str]:
    """Return what is set as people call it: ``Media Size`` is ``Large Address``."""
    found = {}
    for option in islice(_OPTION.finditer(text), _MOST_IN_WORDS):
        name, label = option[1], (option[2] or "").strip()
        value = options.get(name)
        if value is None:
            continue
        choice = re.compile(
            rf"^\*{re.escape(name)}\s+{re.escape(value)}/([^:\r\n]*):", re.MULTILINE
        ).search(text)
        found[label or name] = choice[1].strip() if choice else value
    return found
