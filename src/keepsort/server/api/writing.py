"""From records to the shapes of the API."""

from typing import Any

import msgspec

from keepsort.connectors.registry import connector_types
from keepsort.core.compare import Rules
from keepsort.core.compare.rules import Space
from keepsort.core.snapshot import Snapshot
from keepsort.server.api.running import run_briefs
from keepsort.server.files.models import OpenedFile
from keepsort.server.files.sealing import own_key
from keepsort.server.logs import log
from keepsort.server.pooling import DATABASE_AWAY
from keepsort.server.schedules.services import timing_of
from keepsort.server.schedules.times import in_words
from keepsort.server.snapshots.models import Record, Work
from keepsort.server.snapshots.services import choice_of, newest, open_snapshot, written_branch
from keepsort.server.snapshots.working import failures
from keepsort.server.sorting.tallying import importance_of, tallied
from keepsort.server.systems.models import System
from keepsort.server.systems.services import choices_of

_BACKUPS_SHOWN = 60
_PLACES = 500


def record(found: Record) -> dict[str, Any]:
    """Write a backup or a look."""
    at = tuple(found.at)
    return {
        "id": found.pk,
        "system": found.system_id,
        "kind": found.kind,
        "taken_at": found.taken_at,
        "by": found.by.shown_name if found.by else "",
        "note": found.note,
        "pinned": found.pinned,
        "at": found.at,
        "at_written": open_snapshot(found).schema.notation.write(at) if at else "",
        "software": found.software,
        "objects": found.objects_count,
        "stored_bytes": found.stored_bytes,
        "seconds": found.seconds,
        "changes": found.changes,
        "problem_count": found.problem_count,
        "problems": [p["text"] for p in found.problems[:5]],
        "imported": found.imported,
        "baseline": found.baseline,
        "scheduled": in_words(timing_of(found.schedule)) if found.schedule else "",
        "narrowed": found.narrowed,
        "left_out": _left_out(found),
        "damage_count": found.damage_count,
        "verified_at": found.verified_at,
        "file": found.file.name if found.kind == Record.Kind.FILE else "",
    }


def _left_out(found: Record) -> list[str]:
    """Say what a backup left out by choice."""
    choice = choice_of(found)
    schema = open_snapshot(found).schema if choice else None
    told = [schema.label(kind) for kind in choice.kinds_out] if schema else []
    told += [f"all at {place}" for place in choice.places_out]
    return [*told, *([f"all but {', '.join(choice.places)}"] if choice.places else [])]


def file(found: OpenedFile) -> dict[str, Any]:
    """Write an opened file."""
    told = found.told
    connector = found.record.system.connector
    like = System.objects.filter(connector=connector) if connector else System.objects.all()
    signed = "no"
    if found.signed_by:
        signed = "here" if found.signed_by == own_key() else "elsewhere"
    return {
        "id": found.record_id,
        "name": found.name,
        "form": found.form,
        "bytes": found.size,
        "sha256": found.sha256,
        "system": told["system"],
        "connector": connector,
        "software": told["software"],
        "taken_at": told["taken_at"],
        "made_by": told["by"],
        "note": told["note"],
        "objects": found.record.objects_count,
        "whole": found.whole,
        "signed": signed,
        "signed_by": found.signed_by,
        "secrets": found.secrets,
        "passed_over": found.passed_over,
        "opened_at": found.opened_at,
        "by": found.by.shown_name if found.by else "",
        "keep_until": found.keep_until,
        "fits": list(like.values_list("pk", flat=True)),
    }


def brief(found: Record) -> dict[str, Any]:
    """Write a backup or a look as it is named in passing."""
    return {
        "id": found.pk, "kind": found.kind, "taken_at": found.taken_at, "note": found.note,
        "file": found.file.name if found.kind == Record.Kind.FILE else "",
    }  # fmt: skip


class FullRules(msgspec.Struct):
    """Ignore rules with nothing left out, as the API gives them."""

    letter_case: bool
    space: Space
    blank_lines: bool
    comments: tuple[str, ...]
    order: bool
    attributes: tuple[str, ...]
    paths: tuple[str, ...]

    @classmethod
    def of(cls, rules: Rules) -> "FullRules":
        """Return the rules in this form."""
        return msgspec.convert(rules, cls, from_attributes=True)


def work(found: Work) -> dict[str, Any]:
    """Write a backup or a look on its way."""
    return {
        "id": found.pk,
        "system": found.system_id,
        "kind": found.kind,
        "at": found.at,
        "at_written": written_branch(found.system, found.at),
        "state": found.state,
        "objects_seen": found.objects_seen,
        "expected": found.expected,
        "started_at": found.started_at,
        "waits": found.waits,
        "cancel_asked": found.cancel_asked,
        "message": found.message,
        "result": found.result_id,
    }


def system(found: System) -> dict[str, Any]:
    """Write a system with its timeline and what is under way.

    Where that cannot be told, the system says so itself, and hides nothing of the others.
    """
    try:
        return _system(found)
    except DATABASE_AWAY:
        raise
    except Exception as error:
        log.error("a system cannot be told of", system=found.pk, error=error)
        kind = type(error).__name__
        text = f"What is kept of it cannot be told ({kind}); the log says where."
        return _BARE | {
            "id": found.pk, "name": found.name, "connector": found.connector,
            "address": found.address, "trouble": text,
        }  # fmt: skip


_BARE: dict[str, Any] = {
    "connector_label": "", "objects": 0, "backups": [], "look": None, "rules_saved": False,
    "sample": [], "work": [], "failed": None, "runs": [], "baseline": None, "off_baseline": {},
    "kept": None, "schedules": [], "tags": [], "urgent": [], "minor": [],
    "choices": [],
}  # fmt: skip


def _system(found: System) -> dict[str, Any]:
    backups = found.records.filter(kind=Record.Kind.BACKUP).select_related("by", "schedule")[
        :_BACKUPS_SHOWN
    ]
    look, backup = newest(found, Record.Kind.LOOK), newest(found, Record.Kind.BACKUP)
    types = connector_types()
    baseline = found.records.filter(baseline=True).first()
    kept = found.records.filter(kind=Record.Kind.BACKUP, schedule=None).exclude(at=[]).first()
    active = found.work.filter(state__in=[Work.State.WAITING, Work.State.RUNNING])
    failed = failures(found)
    runs = found.runs.select_related("system", "plan", "by")[:3]
    return {
        "id": found.pk,
        "name": found.name,
        "connector": found.connector,
        "connector_label": types[found.connector].label if found.connector in types else "",
        "address": found.address,
        "objects": look.objects_count if look else (backups[0].objects_count if backups else 0),
        "backups": [record(b) for b in backups],
        "look": _look(backup, look) if look else None,
        "rules_saved": bool(found.rules),
        "tags": found.tags,
        "choices": [
            {
                "name": one.name,
                "label": one.label,
                "choices": list(one.choices),
                "default": found.options.get(one.name) or one.default,
            }
            for one in choices_of(found)
        ]
        if found.connector in types
        else [],
        "urgent": list(importance_of(found).urgent),
        "minor": list(importance_of(found).minor),
        "sample": _sample(backup, look),
        "work": [work(w) for w in active],
        "failed": work(failed[0]) if failed else None,
        "runs": run_briefs(runs),
        "baseline": record(baseline) if baseline else None,
        "off_baseline": tallied(baseline, look).counts if baseline and look else {},
        "kept": record(kept) if kept else None,
        "schedules": [
            {
                "id": s.pk,
                "words": in_words(timing_of(s)),
                "at_written": written_branch(found, s.at),
                "next_at": s.next_at,
            }
            for s in found.schedules.all()
        ],
        "trouble": "",
    }


def _look(backup: Record | None, look: Record) -> dict[str, Any]:
    """Write a look, with how it differs from the newest backup; what rules hide does not count."""
    changes = tallied(backup, look).counts if backup is not None else {}
    return record(look) | {"changes": changes}


def _sample(backup: Record | None, look: Record | None) -> list[dict[str, Any]]:
    """Write the first of the objects by which live differs from the newest backup."""
    if backup is None or look is None or look.at:
        return []
    return [
        {"path": list(one.path), "name": one.name, "state": one.state}
        for one in tallied(backup, look).first
    ]


def places(tree: Snapshot) -> list[dict[str, Any]]:
    """Write the objects that hold others, the topmost ones of a large tree."""
    found: list[dict[str, Any]] = []
    level, holding = [tree.top()], set()
    while level and len(found) < _PLACES:
        found += [
            {"path": list(n.path), "written": tree.schema.notation.write(n.path)} for n in level
        ]
        below = [
            child
            for node in level
            if not tree.schema.parts_in(node.entry.kind)
            for child in tree.children(node)
        ]
        # what is empty now may hold something too, if others of its kind do
        holding |= {child.entry.kind for child in below if child.entry.children is not None}
        level = [child for child in below if child.entry.kind in holding]
    return found[:_PLACES]
