"""Says on PostgreSQL's notification channel that something changed."""

import json

from django.db import connection

CHANNEL = "keepsort"


def tell(kind: str, number: int, system: int) -> None:
    """Tell every browser that looks that a ``run`` or a ``work`` has changed."""
    with connection.cursor() as cursor:
        payload = json.dumps({"kind": kind, "id": number, "system": system})
        cursor.execute("select pg_notify(%s, %s)", [CHANNEL, payload])
