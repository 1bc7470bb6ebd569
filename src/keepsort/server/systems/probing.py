"""Trying a connection: what answers, what is there, what may be done, what can be promised."""

from collections import Counter
from dataclasses import dataclass, field
from itertools import islice
from time import monotonic

from keepsort.connectors.base import Endpoint, Learning, Promises, Telling
from keepsort.connectors.registry import ConnectorType

_MOST = 20_000
_SECONDS = 8.0
_UNREADABLE_SHOWN = 5


class _NoVault:
    """Keeps nothing: a try leaves no trace."""

    def digest(self, value: bytes) -> str:
        """Return a stand-in."""
        return "secret"

    def reveal(self, digest: str) -> bytes | None:
        """Return nothing."""
        return None


@dataclass
class Probe:
    """What a try has found.

    counts: objects of each kind, by the kind's label; complete: whether that is all of them.
    rights: what the account may do. unreadable: some of what it may not read.
    left_out: what is there but not kept. by_digest: files known by digest only, and their bytes.
    """

    software: str
    promises: list[str]
    rights: list[str]
    counts: dict[str, int] = field(default_factory=dict)
    complete: bool = True
    unreadable: list[str] = field(default_factory=list)
    left_out: list[str] = field(default_factory=list)
    by_digest: int = 0
    bytes_by_digest: int = 0
    learned: dict[str, str] = field(default_factory=dict)


def probe(kind: ConnectorType, endpoint: Endpoint) -> Probe:
    """Try a connection; nothing is kept and nothing written. Raises a `ConnectorError`."""
    connector = kind.open(endpoint, _NoVault())
    try:
        described = connector.describe()
        schema = described.schema
        found = Probe(
            described.software,
            _promises(described.promises),
            connector.rights() if isinstance(connector, Telling) else [],
        )
        counts: Counter[str] = Counter()
        until = monotonic() + _SECONDS
        for number, (path, obj) in enumerate(islice(connector.observe(), _MOST + 1)):
            if number == _MOST or monotonic() > until:
                found.complete = False
                break
            if obj.unreadable is not None:
                if len(found.unreadable) < _UNREADABLE_SHOWN:
                    found.unreadable.append(schema.notation.write(path))
            elif not schema.is_implied(obj.kind):
                counts[schema.label(obj.kind)] += 1
            found.left_out += [str(one) for one in obj.facts.get("left out", [])]
            if "digest" in obj.attributes and "bytes" in obj.attributes:
                found.by_digest += 1
                found.bytes_by_digest += int(obj.attributes["bytes"])
        found.counts = dict(counts.most_common())
        if isinstance(connector, Learning):
            found.learned = dict(connector.learned)
        return found
    finally:
        connector.close()


def _promises(promises: Promises) -> list[str]:
    told = [
        "The server itself refuses a change to an object that is no longer as the preview showed."
        if promises.compare_and_set == "server"
        else "Each object is read right before it is written; the server does not guard the moment "
        "between."
    ]
    if promises.atomic:
        told.append("Several steps happen together, or not at all.")
    if promises.rename:
        told.append("Objects can be moved with all beneath them.")
    if promises.stable_identity:
        told.append("Objects keep their identity through moves and renames.")
    return told
