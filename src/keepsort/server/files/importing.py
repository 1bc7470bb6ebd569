"""Making a backup of a system from a file: what it holds is kept like what was seen there."""

from time import monotonic

from keepsort.core.model import ConfigObject, Value
from keepsort.core.model.masks import MARK, is_unknown, mark
from keepsort.core.snapshot import Choice, SnapshotBuilder
from keepsort.server import cycle_collector
from keepsort.server.accounts.models import User
from keepsort.server.files.models import OpenedFile
from keepsort.server.files.standing import check_fits
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import (
    constructing,
    keep_schema,
    open_snapshot,
    problems_of,
)
from keepsort.server.store.postgres import PostgresStore
from keepsort.server.systems.models import System
from keepsort.server.systems.vault import Vault


def import_file(
    file: OpenedFile, system: System, *, note: str = "", by: User | None = None
) -> Record:
    """Keep what a file holds as a backup of a system, marked as imported.

    Secrets that the file left out stay unknown. Raises `Problem` where it holds no whole branch, or
    is of another sort of system.
    """
    check_fits(file, system)
    if not file.whole:
        raise Problem(
            f"{file.name} tells of some objects, and of the rest it says nothing: it is no backup.",
            "Compare it with the system and pick from it; an archive of a whole branch can be "
            "imported.",
        )
    started = monotonic()
    tree = open_snapshot(file.record)
    ours, theirs = Vault(file.record.system), Vault(system)

    def known(found: str) -> str:
        kept = None if is_unknown(found) else ours.reveal(found)
        return theirs.digest(kept) if kept is not None else found

    def carried(value: Value, secret: bool) -> Value:
        if isinstance(value, str):
            return known(value) if secret else MARK.sub(lambda m: mark(known(m[1])), value)
        if isinstance(value, list):
            return [carried(one, secret) for one in value]
        if isinstance(value, dict):
            return {k: carried(one, secret) for k, one in value.items()}
        return value

    with constructing(file.record), cycle_collector.paused():
        builder = SnapshotBuilder(PostgresStore(), tree.schema, depth_first=True, at=tree.at)
        for node in tree.walk():
            obj = tree.object(node)
            builder.add(node.path, ConfigObject(
                name=obj.name, kind=obj.kind, identity=obj.identity, facts=obj.facts,
                unreadable=obj.unreadable,
                attributes={
                    name: carried(value, tree.schema.spec(obj.kind, name).secret)
                    for name, value in obj.attributes.items()
                },
            ))  # fmt: skip
        made = builder.finish()
        theirs.flush()
        schema, _ = keep_schema(tree.schema)
        problems, problem_count = problems_of(made, [], Choice())
        told = f"imported from {file.name}"
        return Record.objects.create(
            system=system, kind=Record.Kind.BACKUP, by=by, at=list(made.at),
            note=f"{note} ({told})"[:400] if note else (
                f"{file.told['note']} ({told})" if file.told["note"] else told
            )[:400],
            taken_at=file.record.taken_at, significant=made.root.significant,
            facts=made.root.facts, schema=schema, software=file.record.software,
            objects_count=made.root.total, stored_bytes=builder.stored_bytes,
            seconds=round(monotonic() - started, 3), gaps=file.record.gaps, imported=True,
            problems=problems, problem_count=problem_count,
        )  # fmt: skip
