"""Finding objects by part of a name, a path, or words of their values, in all backups at once."""

import re
from dataclasses import dataclass, field

from django.contrib.postgres.search import SearchQuery
from django.db.models import Q, QuerySet

from keepsort.core.model import Path
from keepsort.core.snapshot import Snapshot
from keepsort.server.history.models import Indexed, Version
from keepsort.server.history.words import query, words_of
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.systems.models import System

_CANDIDATES = 400
_SHOWN = 40
_LEAST_LETTERS = 2
_KIND = re.compile(r"(?:^|\s)kind:(?P<kind>\S+)")


@dataclass
class Hit:
    """An object that was found.

    record: the newest backup that has it; first: the oldest. backups: how many have it.
    now: whether the newest backup has it. where: the part of a value that was found.
    """

    system: int
    system_name: str
    path: Path
    written: str
    name: str
    kind: str
    kind_label: str
    record: Record
    first: Record
    backups: int
    now: bool
    where: str = ""


@dataclass
class Found:
    """What a search found; `more` where it found more than it shows."""

    hits: list[Hit] = field(default_factory=list)
    more: bool = False


def search(text: str, *, system: System | None = None, gone: bool | None = None) -> Found:
    """Find objects whose name holds a text or whose values hold its words.

    text: may hold ``kind:NAME``, which lets only that kind through; with slashes or commas it is
        taken for a part of a path.
    gone: True for objects that the newest backup does not have, False for those it has.
    Raises `Problem` if there is too little to search for.
    """
    wanted = _KIND.search(text)
    kind = wanted["kind"] if wanted else None
    text = _KIND.sub(" ", text).strip()
    if len(text) < _LEAST_LETTERS and not kind:
        raise Problem("That is too short to search for.", "Write two letters or more.")
    versions = Version.objects.all()
    if system is not None:
        versions = versions.filter(system=system)
    if kind is not None:
        versions = versions.filter(kind__iexact=kind)
    if gone is False:
        versions = versions.filter(last=None)
    found = _candidates(versions, text)
    return _hits(found, text, gone)


def _candidates(versions: QuerySet[Version], text: str) -> list[Version]:
    """Return versions that match: those by name first, then those by their values."""
    if not text:
        return list(versions.order_by("-pk")[:_CANDIDATES])
    folded = text.casefold()
    if re.search(r"[/,]", text):
        by_path = [v for part in _last_names(folded) for v in _named(versions, part)]
        found = [v for v in by_path if _holds(v, folded)]
    else:
        found = _named(versions, folded)
    if len(found) < _CANDIDATES and words_of(text):
        known = {v.pk for v in found}
        asked = SearchQuery(query(text), config="simple", search_type="raw")
        by_words = versions.filter(words=asked)[: _CANDIDATES - len(found)]
        found += [v for v in by_words if v.pk not in known]
    return found


def _named(versions: QuerySet[Version], part: str) -> list[Version]:
    return list(versions.filter(folded__contains=part)[:_CANDIDATES]) if part else []


def _last_names(text: str) -> list[str]:
    """Return what may be the name itself in a part of a path: its end, or its beginning."""
    names = [text.rstrip("/").rpartition("/")[2]] if "/" in text else []
    return [*names, *([text.partition(",")[0].strip()] if "," in text else [])]


def _holds(version: Version, text: str) -> bool:
    slash = "/" + "/".join(version.path)
    commas = ",".join(reversed(version.path))
    return text.rstrip("/") in slash.casefold() or text.replace(", ", ",") in commas.casefold()


def _hits(found: list[Version], text: str, gone: bool | None) -> Found:
    """Join versions of one object, and say in which backups it is; exact and present ones first."""
    things: dict[tuple[int, int], list[Version]] = {}
    for version in found:
        things.setdefault((version.system_id, version.thing), []).append(version)
    alive = _alive(list(things))
    backups: dict[int, list[Indexed]] = {}
    systems = {number for number, _ in things}
    for one in Indexed.objects.filter(system__in=systems).select_related("record__system"):
        backups.setdefault(one.system_id, []).append(one)
    folded = text.casefold()

    def rank(item: tuple[tuple[int, int], list[Version]]) -> tuple[object, ...]:
        key, versions = item
        newest = versions[-1]
        bare = newest.folded.partition("=")[2] or newest.folded
        by_name = folded not in newest.folded
        return (by_name, bare != folded, not bare.startswith(folded), key not in alive, bare)

    result = Found()
    for key, versions in sorted(things.items(), key=rank):
        if gone and key in alive:
            continue
        if len(result.hits) == _SHOWN:
            result.more = True
            break
        hit = _hit(versions, backups.get(key[0], []), key in alive, text)
        if hit is not None:
            result.hits.append(hit)
    result.more = result.more or len(found) >= _CANDIDATES
    return result


def _alive(things: list[tuple[int, int]]) -> set[tuple[int, int]]:
    """Return those objects that the newest backup of their system has."""
    by_system: dict[int, list[int]] = {}
    for system, thing in things:
        by_system.setdefault(system, []).append(thing)
    wanted = Q(pk__in=[])
    for system, numbers in by_system.items():
        wanted |= Q(system=system, thing__in=numbers)
    rows = Version.objects.filter(wanted, last=None)
    return set(rows.values_list("system_id", "thing"))


def _hit(versions: list[Version], backups: list[Indexed], now: bool, text: str) -> Hit | None:
    newest = max(versions, key=lambda v: v.first)
    have = [i.record for i in backups if any(_in_run(v, i.number) for v in versions)]
    newest_run = [i.record for i in backups if _in_run(newest, i.number)]
    if not newest_run:
        return None  # all backups that had it are gone
    record = newest_run[-1]
    tree = open_snapshot(record)
    path = tuple(newest.path)
    return Hit(
        system=newest.system_id,
        system_name=record.system.name,
        path=path,
        written=tree.schema.notation.write(path),
        name=newest.name,
        kind=newest.kind,
        kind_label=tree.schema.label(newest.kind),
        record=record,
        first=have[0],
        backups=len(have),
        now=now,
        where="" if text.casefold() in newest.folded else _where(tree, path, text),
    )


def _in_run(version: Version, number: int) -> bool:
    return version.first <= number and (version.last is None or number <= version.last)


def _where(tree: Snapshot, path: Path, text: str) -> str:
    """Return the attribute and the value that hold the words, as a person would point to them."""
    found = tree.get(path)
    words = words_of(text)
    if found is None or not words:
        return ""
    for name, value in found.attributes.items():
        if tree.schema.spec(found.kind, name).secret:
            continue
        for part in value if isinstance(value, list) else [value]:
            lines = part.splitlines() if isinstance(part, str) else [str(part)]
            for line in lines:
                if words[0] in " ".join(words_of(line)):
                    return f"{name}: {line.strip()[:120]}"
    return ""
