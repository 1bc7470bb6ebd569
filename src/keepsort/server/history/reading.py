"""The history of one object: its versions, and since when each of its attributes is as it is."""

from dataclasses import dataclass
from typing import Literal, cast

from django.db.models import Q

from keepsort.core.compare.values import equal_values
from keepsort.core.model import ConfigObject, Path
from keepsort.core.model.notation import write_slash
from keepsort.core.snapshot import Snapshot
from keepsort.server.history.models import Indexed, Version
from keepsort.server.history.telling import has, tells_of
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.systems.models import System

_MOST_VERSIONS = 200


MomentState = Literal["new", "changed", "moved", "recreated", "gone"]


@dataclass
class Moment:
    """One version of an object, from the backup that first has it to the last that does.

    state: how it came to differ from the version before; ``gone`` where it was not there any more.
    """

    record: Record
    until: Record | None
    state: MomentState
    attributes: list[str]
    path: Path


@dataclass
class Since:
    """Since which backup an attribute has the value it has now.

    record: the first backup that has it; None where no backup has it yet, and then `after` is the
    newest that still has another.
    """

    attribute: str
    record: Record | None
    after: Record | None


def history(system: System, path: Path, identity: str | None, tree: Snapshot) -> list[Moment]:
    """Return the versions of an object, oldest first: by its identity, else by its path."""
    key = write_slash(tree.schema.names.keys(path))
    same = Q(key=key) if identity is None else Q(key=key) | Q(identity=identity)
    rows = Version.objects.filter(system=system)
    things = rows.filter(same).values_list("thing", flat=True).distinct()
    found = list(rows.filter(thing__in=list(things)).order_by("first", "pk")[:_MOST_VERSIONS])
    if not found:
        return []
    backups = list(Indexed.objects.filter(system=system).select_related("record"))
    moments: list[Moment] = []
    for number, version in enumerate(found):
        telling = [one for one in backups if tells_of(one, version.key, version.kind)]
        having = [one for one in telling if has(one, version)]
        if not having:
            continue  # all backups that had it are gone
        until = having[-1].record if version.last is not None else None
        state = cast(MomentState, version.state)
        moments.append(
            Moment(having[0].record, until, state, version.attributes, tuple(version.path))
        )
        following = found[number + 1].first if number + 1 < len(found) else None
        after = next((one for one in telling if one.number > having[-1].number), None)
        if after is not None and (following is None or after.number < following):
            moments.append(Moment(after.record, None, "gone", [], tuple(version.path)))
    return moments


def since(
    moments: list[Moment], now: ConfigObject | None, names: list[str], until: Record | None
) -> list[Since]:
    """Tell for each attribute since which backup it has the value that the object has now.

    now: the object on the side that is asked about; None where it is not there.
    until: only backups up to this one count, where that side is a backup itself.
    """
    before = [m for m in moments if until is None or m.record.pk <= until.pk]
    versions = [(m, _object(m)) for m in before]
    newest = _newest_telling(moments[-1]) if moments else None
    found = []
    for name in names:
        first: Record | None = None
        for moment, then in reversed(versions):
            if not _equal(moment, name, then, now):
                break
            first = moment.record
        found.append(Since(name, first, newest if first is None else None))
    return found


def _newest_telling(moment: Moment) -> Record | None:
    """Return the newest backup that tells of the place where an object was last."""
    key = write_slash(open_snapshot(moment.record).schema.names.keys(moment.path))
    backups = Indexed.objects.filter(system=moment.record.system_id).select_related("record")
    return next((one.record for one in backups.reverse() if tells_of(one, key)), None)


def _object(moment: Moment) -> ConfigObject | None:
    return None if moment.state == "gone" else open_snapshot(moment.record).get(moment.path)


def _equal(moment: Moment, name: str, then: ConfigObject | None, now: ConfigObject | None) -> bool:
    had = then is not None and name in then.attributes
    has = now is not None and name in now.attributes
    if not had or not has:
        return had == has
    assert then is not None
    assert now is not None
    spec = open_snapshot(moment.record).schema.spec(now.kind, name)
    return equal_values(spec, then.attributes[name], now.attributes[name])
