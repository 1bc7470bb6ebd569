"""Secrets in config files: found by the names of their keys, and kept out of the texts."""

import re
from collections.abc import Callable
from fnmatch import fnmatchcase

from keepsort.connectors.base import SecretKeeper
from keepsort.connectors.errors import Misconfigured, Refused
from keepsort.connectors.wanting import never_kept
from keepsort.core.model import Path
from keepsort.core.model.masks import MARK, mark
from keepsort.core.plan import Finding, Step
from keepsort.formats import FORMATS, Place
from keepsort.formats.places import unmarked

#: Names of keys that hold secrets, whatever the format: what is kept by default.
DEFAULT = (
    "*password,*passwd,*passphrase,*secret,*secret_key,*token,*api_key,*apikey,*private_key,psk,"
    "*_psk,*credentials"
)
#: Values that say how a secret is used, or where it lies, and are none.
_NO_SECRET = re.compile(
    r"[\"']?(?:yes|no|on|off|true|false|none|null|required|optional|\d+[a-z%]*|[~./$][^\s]*|\*+)?[\"']?",
    re.IGNORECASE,
)
#: Formats in whose texts a bare word is no value.
_QUOTED = {"json", "toml"}


class Secrets:
    """Which values of a host's files are secrets."""

    def __init__(self, patterns: str, keeper: SecretKeeper) -> None:
        self._patterns = [_pattern(one) for one in patterns.split(",") if one.strip()]
        self._keeper = keeper

    def kept_out(self, kind: str, text: str, read: Callable[[str, str], list[Place]]) -> str:
        """Return a text of a format with a mark in the place of each secret.

        read: reads a text of a kind as places; raises `NotParsed`, and so does this.
        """
        if not self._patterns or not self._may_hold(kind, text):
            return text
        order_mark, marked = unmarked(text)
        stretches = [
            stretch
            for place in read(kind, text)
            if not place.section and self._is_secret(kind, place.path)
            for stretch in _stretches(marked, place)
        ]
        for start, stop in sorted(set(stretches), reverse=True):
            raw = marked[start:stop].rstrip("\r\n")
            if _NO_SECRET.fullmatch(raw.strip()) or MARK.search(raw):
                continue
            stands = mark(self._keeper.digest(raw.encode()))
            if kind in _QUOTED:
                stands = f'"{stands}"'
            marked = marked[:start] + stands + marked[start + len(raw) :]
        return order_mark + marked

    def put_in(self, kind: str, text: str) -> str:
        """Return a text with its secrets. Raises `Refused` where one was never kept."""
        quote = '"' if kind in _QUOTED else ""

        def revealed(found: re.Match[str]) -> str:
            value = self._keeper.reveal(found[1])
            if value is None:
                raise Refused(
                    "A secret in this file was never kept here, so the file cannot be written.",
                    "Pick other lines of it, and set the secret by hand.",
                )
            return value.decode()

        return re.sub(f"{quote}{MARK.pattern}{quote}", revealed, text)

    def wanting(self, step: Step) -> list[Finding]:
        """Return what stops a step, if its text has a mark for a secret that is lost."""
        marks = set(MARK.findall(str((step.after or {}).get("text", ""))))
        return never_kept(self._keeper, step, "text", marks)

    def _may_hold(self, kind: str, text: str) -> bool:
        """Tell, without reading it, whether any key of a text may have a secret's name."""
        low = text.lower().replace("-", "_")
        return any(
            of_kind in ("", kind) and max(name.split("*"), key=len) in low
            for of_kind, name in self._patterns
        )

    def _is_secret(self, kind: str, path: Path) -> bool:
        name = re.sub(r"\[\d+\]$", "", path[-1]).strip("\"'@").lower().replace("-", "_")
        return any(
            of_kind in ("", kind) and fnmatchcase(name, pattern)
            for of_kind, pattern in self._patterns
        )


def _pattern(text: str) -> tuple[str, str]:
    kind, colon, name = text.strip().rpartition(":")
    if colon and kind not in FORMATS:
        raise Misconfigured(
            f"{kind!r} in the names of secrets is no format.",
            f"Write NAME or FORMAT:NAME; formats are {', '.join(FORMATS)}.",
        )
    return kind, name.lower().replace("-", "_")


def _stretches(text: str, place: Place) -> list[tuple[int, int]]:
    """Return where the value of a part is written: one line of it each, or all at once."""
    if place.lines:
        found = []
        for line in place.lines:
            at = text.rfind(line.value, line.span.start, line.span.stop) if line.value else -1
            if at >= 0:
                found.append((at, at + len(line.value)))
        return found
    if place.held is None or place.held.stop <= place.held.start:
        return []
    return [(place.held.start, place.held.stop)]
