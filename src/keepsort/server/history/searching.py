"""Finding objects by part of a name, a path, or words of their values, in all backups at once."""

import re
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from itertools import islice

from django.contrib.postgres.search import SearchQuery
from django.db.models import Q, QuerySet

from keepsort.core.compare import Difference
from keepsort.core.model import Path
from keepsort.core.model.notation import write_slash
from keepsort.core.snapshot import Snapshot
from keepsort.server.history.live import Live
from keepsort.server.history.models import Indexed, Version
from keepsort.server.history.telling import has, tells_of
from keepsort.server.history.words import query, words_of
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
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

    record: the newest backup that has it; first: the oldest; None where no backup has it.
    backups: how many have it. now: whether it is there as far as is known; told_by: the look or
    the backup that this is known from. differing: how many objects at and beneath its place differ
    live. where: the part of a value that was found.
    """

    system: int
    system_name: str
    path: Path
    written: str
    name: str
    kind: str
    kind_label: str
    record: Record | None
    first: Record | None
    backups: int
    now: bool
    told_by: Record
    differing: int = 0
    where: str = ""


@dataclass
class Found:
    """What a search found; `more` where it found more than it shows.

    unsure: systems of which it is not known what the newest look shows; their backups are searched.
    """

    hits: list[Hit] = field(default_factory=list)
    more: bool = False
    unsure: list[str] = field(default_factory=list)


def search(text: str, *, system: System | None = None, gone: bool | None = None) -> Found:
    """Find objects whose name holds a text or whose values hold its words, kept or live.

    text: may hold ``kind:NAME``, which lets only that kind through; with slashes or commas it is
        taken for a part of a path.
    gone: True for objects that are not there any more, False for those that are: as the newest
        look tells, and where there is none after it, the newest backup.
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
    found = _candidates(versions, text)
    if gone is False and len(found) >= _CANDIDATES:
        found += _candidates(versions.filter(last=None), text)
    asked = [system] if system is not None else list(System.objects.all())
    lives, unsure = _lives(asked)
    new: list[tuple[Live, Difference]] = []
    for live in lives.values():
        matching = live.matching(partial(_is_named, text.casefold()), words_of(text), kind)
        told = list(islice(matching, _CANDIDATES))
        for difference, seen_before in zip(told, _versions_of(live, told), strict=True):
            if seen_before is None:
                new.append((live, difference))
            else:
                found.append(seen_before)
    result = _hits(list({v.pk: v for v in found}.values()), new, lives, text, gone)
    result.unsure = unsure
    return result


def _lives(systems: list[System]) -> tuple[dict[int, Live], list[str]]:
    """Return what the newest looks add, and the names of systems of which that cannot be told."""
    lives, unsure = {}, []
    for system in systems:
        try:
            live = Live.of(system)
        except DATABASE_AWAY:
            raise
        except Exception as error:
            log.error("the newest look cannot be searched", system=system.pk, error=error)
            unsure.append(system.name)
            continue
        if live is not None:
            lives[system.pk] = live
    return lives, unsure


def _versions_of(live: Live, differences: list[Difference]) -> list[Version | None]:
    """Return for each object that differs live the newest version that any backup has of it."""
    nodes = [d.right for d in differences if d.right is not None]
    before: dict[str, list[str]] = {}
    for old, now in live.known.items():
        before.setdefault(now, []).append(old)
    by_identity = {n.entry.identity for n in nodes if n.entry.identity is not None}
    by_identity |= {old for now in by_identity for old in before.get(now, ())}
    keys = [write_slash(live.found.names.keys(d.path)) for d in differences]
    rows = Version.objects.filter(system=live.look.system_id).order_by("first")
    known = {row.identity: row for row in rows.filter(identity__in=by_identity)}
    here = {row.key: row for row in rows.filter(key__in=keys)}
    found: list[Version | None] = []
    for key, node in zip(keys, nodes, strict=True):
        identity = node.entry.identity
        if identity is None:
            found.append(here.get(key))
            continue
        same = [known[one] for one in (identity, *before.get(identity, ())) if one in known]
        found.append(max(same, key=lambda row: row.first, default=None))
    return found


def _candidates(versions: QuerySet[Version], text: str) -> list[Version]:
    """Return versions that match: those by name first, then those by their values."""
    if not text:
        return list(versions.order_by("-pk")[:_CANDIDATES])
    folded = text.casefold()
    if re.search(r"[/,]", text):
        by_path = [v for part in _last_names(folded) for v in _named(versions, part)]
        found = [v for v in by_path if _holds(tuple(v.path), folded)]
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


def _is_named(text: str, difference: Difference) -> bool:
    """Tell whether a text is part of the name or of the place of an object that differs live."""
    if re.search(r"[/,]", text):
        return _holds(difference.live_path or difference.path, text)
    return text in difference.node.entry.name.casefold()


def _holds(path: Path, text: str) -> bool:
    slash = "/" + "/".join(path)
    commas = ",".join(reversed(path))
    return text.rstrip("/") in slash.casefold() or text.replace(", ", ",") in commas.casefold()


class _Things:
    """What is known of the objects that were found."""

    def __init__(self, found: list[Version], lives: dict[int, Live]) -> None:
        self.versions: dict[tuple[int, int], list[Version]] = {}
        for version in found:
            self.versions.setdefault((version.system_id, version.thing), []).append(version)
        self._lives = lives
        self.backups: dict[int, list[Indexed]] = {}
        systems = {number for number, _ in self.versions}
        for one in Indexed.objects.filter(system__in=systems).select_related("record__system"):
            self.backups.setdefault(one.system_id, []).append(one)
        kept = _alive(list(self.versions))
        self.differing = {key: self._differing(key) for key in self.versions}
        self.there = {key: self._is_there(key, key in kept) for key in self.versions}

    def live(self, key: tuple[int, int]) -> Live | None:
        """Return the look that knows more of an object than all backups."""
        live = self._lives.get(key[0])
        newest = max(self.versions[key], key=lambda v: v.first)
        return live if live is not None and live.tells_of(newest.key) else None

    def _differing(self, key: tuple[int, int]) -> int:
        live = self.live(key)
        newest = max(self.versions[key], key=lambda v: v.first)
        return sum(live.found.tally_beneath(tuple(newest.path)).values()) if live else 0

    def _is_there(self, key: tuple[int, int], kept: bool) -> bool:
        live = self.live(key)
        if live is None:
            return kept
        return any(live.has(version) for version in self.versions[key])


def _hits(
    found: list[Version],
    new: list[tuple[Live, Difference]],
    lives: dict[int, Live],
    text: str,
    gone: bool | None,
) -> Found:
    """Join versions of one object, and say in which backups it is; exact and present ones first."""
    things = _Things(found, lives)
    folded = text.casefold()

    def rank(name: str, there: bool, differs: bool) -> tuple[object, ...]:
        bare = name.partition("=")[2] or name
        near = (folded not in name, bare != folded, not bare.startswith(folded))
        return (*near, not there, not differs, bare)

    ranked: list[tuple[tuple[object, ...], Callable[[], Hit | None]]] = []
    for key, versions in things.versions.items():
        there = things.there[key]
        if gone is None or gone is not there:
            order = rank(versions[-1].folded, there, things.differing[key] > 0)
            ranked.append((order, partial(_hit, things, key, text)))
    if not gone:
        for live, difference in new:
            name = difference.node.entry.name.casefold()
            ranked.append((rank(name, True, True), partial(_new_hit, live, difference, text)))
    result = Found()
    for _, make in sorted(ranked, key=lambda one: one[0]):
        if len(result.hits) == _SHOWN:
            result.more = True
            break
        hit = make()
        if hit is not None:
            result.hits.append(hit)
    result.more = result.more or len(found) >= _CANDIDATES
    return result


def _alive(things: list[tuple[int, int]]) -> set[tuple[int, int]]:
    """Return those objects that the newest backup which tells of them has."""
    by_system: dict[int, list[int]] = {}
    for system, thing in things:
        by_system.setdefault(system, []).append(thing)
    wanted = Q(pk__in=[])
    for system, numbers in by_system.items():
        wanted |= Q(system=system, thing__in=numbers)
    rows = Version.objects.filter(wanted, last=None)
    return set(rows.values_list("system_id", "thing"))


def _hit(things: _Things, key: tuple[int, int], text: str) -> Hit | None:
    versions = things.versions[key]
    newest = max(versions, key=lambda v: v.first)
    backups = things.backups.get(key[0], [])
    telling = [i for i in backups if tells_of(i, newest.key, newest.kind)]
    have = [i.record for i in backups if any(has(i, v) for v in versions)]
    newest_run = [i.record for i in telling if has(i, newest)]
    if not newest_run:
        return None  # all backups that had it are gone
    record = newest_run[-1]
    tree = open_snapshot(record)
    path = tuple(newest.path)
    live = things.live(key)
    where = "" if text.casefold() in newest.folded else _where(tree, path, text)
    if not where and live is not None and text.casefold() not in newest.folded:
        where = _where(live.found.right, live.found.live_path(path), text)
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
        now=things.there[key],
        told_by=live.look if live is not None else telling[-1].record,
        differing=things.differing[key],
        where=where,
    )


def _new_hit(live: Live, difference: Difference, text: str) -> Hit:
    node, tree = difference.node, live.found.right
    named = text.casefold() in node.entry.name.casefold()
    return Hit(
        system=live.look.system_id,
        system_name=live.look.system.name,
        path=difference.path,
        written=tree.schema.notation.write(difference.path),
        name=node.entry.name,
        kind=node.entry.kind,
        kind_label=tree.schema.label(node.entry.kind),
        record=None,
        first=None,
        backups=0,
        now=True,
        told_by=live.look,
        differing=1,
        where="" if named else _where(tree, difference.live_path or difference.path, text),
    )


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
