"""What messages say, in the form that `docs/webhooks.md` describes."""

from collections.abc import Sequence
from datetime import datetime
from typing import Any

Event = dict[str, Any]


def event(
    what: str,
    *,
    level: str,
    code: str,
    title: str,
    place: str,
    system: str | None = None,
    paths: Sequence[str] = (),
) -> Event:
    """Write one event of a message."""
    return {
        "event": what, "level": level, "code": code, "title": title, "system": system,
        "place": place, "paths": list(paths),
    }  # fmt: skip


def content(kind: str, events: Sequence[Event], now: datetime) -> dict[str, Any]:
    """Write what a message says."""
    made_at = now.isoformat(timespec="seconds")
    return {"sent_by": "Keep Sort", "made_at": made_at, "kind": kind, "events": list(events)}
