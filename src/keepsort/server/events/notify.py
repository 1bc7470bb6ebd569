"""Says on PostgreSQL's notification channel that something changed."""

import json

from keepsort.server.statements import notify

CHANNEL = "keepsort"


def tell(kind: str, number: int, system: int) -> None:
    """Tell every browser that looks what has changed.

    kind: ``run`` (its state), ``journal`` (of a run: its steps alone), ``work`` or ``record``;
    number: which of them; 0 where it may be any of the system's.
    """
    notify(CHANNEL, json.dumps({"kind": kind, "id": number, "system": system}))
