"""The trees that everything which is kept stands on: records, and what the index knows."""

from collections.abc import Collection

from keepsort.core.snapshot import Root
from keepsort.server.history.models import Head
from keepsort.server.snapshots.models import Record


def kept_roots(without: Collection[int] = ()) -> tuple[list[Root], set[bytes]]:
    """Return where these trees begin, each once, and the addresses of their schemas.

    without: numbers of records that do not count.
    """
    fields = ("significant", "facts", "schema")
    records = Record.objects.exclude(pk__in=without).order_by().values_list(*fields)
    heads = Head.objects.exclude(significant=None).values_list(*fields)
    trees, schemas = set(), set()
    for significant, facts, schema in [*records, *heads]:
        trees.add((bytes(significant), bytes(facts) if facts is not None else None))
        schemas.add(bytes(schema))
    return [Root(significant, facts, 0) for significant, facts in trees], schemas
