"""Previews: from picks to a plan that says all it will do."""

from collections.abc import Mapping, Sequence
from typing import Any, cast

import msgspec

from keepsort.connectors.applying import read
from keepsort.connectors.base import Adjusting, Connector, Permitting
from keepsort.core.compare import Comparison, compare
from keepsort.core.compare.choices import kept
from keepsort.core.model import ConfigObject, Path, Value
from keepsort.core.plan import (
    Clash,
    Composer,
    Finding,
    Mismatch,
    Naming,
    Offer,
    Pick,
    Plan,
    Policy,
    Step,
    offers,
    plan_restore,
    rehearse,
    transplant,
)
from keepsort.core.plan.rehearsal import holds, is_done
from keepsort.core.snapshot import Choice, FormerName, Snapshot, with_former_names
from keepsort.server import cycle_collector
from keepsort.server.accounts.models import User
from keepsort.server.problems import NotFound, Problem
from keepsort.server.restores.models import PlanRecord
from keepsort.server.restores.promised import denied, promised
from keepsort.server.restores.refused import with_aside, without_refused
from keepsort.server.restores.unsound import with_problems
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import choice_of, find_record, open_snapshot, take
from keepsort.server.sorting.comparing import (
    Terms,
    compare_trees,
    compared_with,
    joined,
    saved_names,
    settled,
)
from keepsort.server.systems.models import System
from keepsort.server.systems.services import checked_choices, composer_of, opened, successors
from keepsort.server.systems.vault import Vault

#: How often a file is planned anew without what the system refuses of it.
_ATTEMPTS = 5
#: So many objects a summary names.
_NAMED = 4
encode_plan = msgspec.msgpack.Encoder().encode
_AS_SAVED = Terms()
_NOTHING: Mapping[str, str] = {}
decode_plan = msgspec.msgpack.Decoder(Plan).decode
encode_object = msgspec.msgpack.Encoder().encode
decode_object = msgspec.msgpack.Decoder(ConfigObject | None).decode


def open_plan(record: PlanRecord) -> Plan:
    """Return the plan that a record holds."""
    return decode_plan(bytes(record.content))


def sources(record: PlanRecord) -> list[Record]:
    """Return the backups that a plan takes something from, newest first."""
    numbers = {pick.get("backup", record.backup_id) for pick in record.picks}
    return list(Record.objects.filter(pk__in=numbers - {None}))


def draft_plan(
    backup: Record,
    look: Record,
    picks: list[Pick],
    policy: Policy,
    terms: Terms = _AS_SAVED,
    others: Sequence[tuple[Pick, Record]] = (),
) -> tuple[Comparison, Plan, list[Offer]]:
    """Plan without asking the system and without keeping the plan: what the tray shows."""
    if backup.system_id != look.system_id and backup.kind != Record.Kind.FILE:
        raise Problem(
            "The look is of another system than the backup.",
            "Compare the backup with its own system, or put things elsewhere.",
        )
    comparison = compared_with(backup, look, picks, others, terms)
    every = [*picks, *(pick for pick, _ in others)]
    with cycle_collector.paused():
        plan = plan_restore(comparison, every, policy=policy, composer=composer_of(look.system))
    plan = with_aside(backup, look, plan, every, terms)
    used = {record.pk: record for record in (backup, *(record for _, record in others))}
    plan = with_problems(plan, list(used.values()), comparison.left)
    return comparison, plan, offers(comparison, plan)


def preview(
    backup: Record,
    picks: list[Pick],
    policy: Policy = "overwrite",
    *,
    look: Record | None = None,
    by: User | None = None,
    terms: Terms = _AS_SAVED,
    others: Sequence[tuple[Pick, Record]] = (),
    target: System | None = None,
    chosen: Mapping[str, str] = _NOTHING,
) -> PlanRecord:
    """Make a plan, rehearse it, and ask the system what it has to say about it.

    look: the look at live that the picks were made on; a new one is taken where None.
    terms: what the two were compared by when the picks were made.
    others: what is picked from other backups of the system.
    chosen: options of the connector for this restore, instead of those of the system.
    target: the system that is looked at where `look` is None; the backup's own if None.
    Raises `Problem` or a `ConnectorError`.
    """
    if not picks and not others:
        raise Problem("Nothing is picked.", "Pick an object, a branch or an attribute first.")
    look = look or take(target or backup.system, Record.Kind.LOOK, by=by)
    system = look.system
    composer = composer_of(system)
    wanted: list[Pick] = picks
    told: tuple[Finding, ...] = ()
    comparison, plan, _ = draft_plan(backup, look, wanted, policy, terms, others)
    chosen = checked_choices(system, chosen)
    with opened(system, chosen) as connector:
        for _ in range(_ATTEMPTS):
            plan = Plan(plan.steps, (*plan.findings, *told))
            if isinstance(connector, Adjusting):
                steps, said = connector.adjust(plan.steps)
                plan = Plan(steps, (*plan.findings, *said))
            asked = asked_of(connector, comparison.right, plan, composer, comparison.left)
            less = without_refused(backup, asked[0], wanted)
            if less is None:
                break
            wanted, told = less[0], (*told, *less[1])
            comparison, plan, _ = draft_plan(backup, look, wanted, policy, terms, others)
    plan, rendered, predicted = asked
    tally: dict[str, int] = {}
    if predicted is not None:
        known, using = successors(system), settled(terms, system)
        left = compare_trees(comparison.left, predicted, using, known)
        tally = kept(left, choice_of(backup), Choice()).tally
    return PlanRecord.objects.create(
        system=system, backup=backup, look=look, by=by, policy=policy,
        picks=_written(picks, others), terms=msgspec.to_builtins(terms), chosen=chosen,
        content=encode_plan(plan), rendered=rendered,
        summary=summary(plan, tally),
    )  # fmt: skip


def preview_again(
    record: PlanRecord, by: User | None = None, renamed: Sequence[FormerName] = ()
) -> PlanRecord:
    """Preview the same picks on a new look at live. Raises `Problem` or a `ConnectorError`.

    renamed: what attributes were called formerly, beside what the preview went by.
    """
    if record.backup is None or record.undoes_id is not None or not record.picks:
        raise Problem(
            "This preview was not made of picks from one backup.", "Start from the backup again."
        )
    own, others = divided(record.picks, record.backup.pk)
    policy = cast(Policy, record.policy)
    terms = msgspec.convert(record.terms, Terms)
    if renamed:
        known = terms.renamed if terms.renamed is not None else saved_names(record.system)
        terms = msgspec.structs.replace(terms, renamed=joined(known, renamed))
    return preview(
        record.backup, own, policy, by=by, terms=terms, others=others, target=record.system,
        chosen=record.chosen,
    )  # fmt: skip


def divided(
    picks: Sequence[dict[str, Any]], backup: int
) -> tuple[list[Pick], list[tuple[Pick, Record]]]:
    """Read picks as JSON has them: those of one backup, and those of others with theirs.

    Raises `NotFound` if there is no such backup.
    """
    own: list[Pick] = []
    others: list[tuple[Pick, Record]] = []
    for one in picks:
        pick, source = msgspec.convert(one, Pick), one.get("backup")
        if source is None or source == backup:
            own.append(pick)
        else:
            others.append((pick, find_record(source)))
    return own, others


def _written(picks: list[Pick], others: Sequence[tuple[Pick, Record]]) -> list[dict[str, object]]:
    own: list[dict[str, object]] = msgspec.to_builtins(picks)
    return own + [msgspec.to_builtins(pick) | {"backup": record.pk} for pick, record in others]


def preview_elsewhere(
    backup: Record,
    paths: list[Path],
    system: System,
    at: Path,
    clash: Clash = "rename",
    *,
    by: User | None = None,
) -> PlanRecord:
    """Plan to put branches of a backup into another place, of this system or of another one.

    Raises `Problem` or a `ConnectorError`.
    """
    if system.connector != backup.system.connector:
        raise Problem(
            f"{system} is of another kind than {backup.system}, so nothing of it fits there.",
            "Choose a system with the same connector.",
        )
    source = open_snapshot(backup)
    if () in paths:
        paths = [node.path for node in source.children(source.top())]
    if not paths:
        raise Problem("Nothing is picked that could go elsewhere.", "Pick objects or branches.")
    look = take(system, Record.Kind.LOOK, by=by)
    live = with_former_names(open_snapshot(look), saved_names(system))
    ours, theirs = Vault(backup.system), Vault(system)

    def secret(value: Value) -> Value:
        kept = ours.reveal(value) if ours.belongs_elsewhere(theirs) else None
        return theirs.digest(kept) if kept is not None else value

    composer = composer_of(system)
    with opened(system) as connector:
        naming = connector if isinstance(connector, Naming) else None
        try:
            made = transplant(source, paths, live, at, clash, secret, naming)
        except KeyError:
            raise NotFound(
                f"{system} has nothing at {live.schema.notation.write(at)} to hold it.",
                "Choose another place.",
            ) from None
        theirs.flush()
        plan = plan_restore(compare(made.left, live), list(made.picks), composer=composer)
        plan = Plan(plan.steps, (*made.findings, *plan.findings))
        plan, rendered, _ = asked_of(connector, live, plan, composer, made.left)
    return PlanRecord.objects.create(
        system=system, backup=None, look=look, by=by, policy="overwrite",
        picks=[{"path": list(path), "backup": backup.pk} for path in paths],
        content=encode_plan(plan), rendered=rendered, summary=summary(plan, {}),
    )  # fmt: skip


def compare_to_backup(backup: Record, predicted: Snapshot) -> dict[str, int]:
    """Return how live will differ from a backup of the whole; empty for one of a branch."""
    if tuple(backup.at) != predicted.at or backup.kind == Record.Kind.FILE or backup.gaps:
        return {}
    known = successors(backup.system)
    found = compare(open_snapshot(backup), predicted, successors=known)
    return kept(found, choice_of(backup), Choice()).tally


def asked_of(
    connector: Connector, live: Snapshot, plan: Plan, composer: Composer, origin: Snapshot
) -> tuple[Plan, list[str], Snapshot | None]:
    """Add what the live system says about a plan; return its protocol texts, and live as it will
    be, or None where some step does not find what it expects.
    """
    found = [*plan.findings, *_changed_since(connector, live, plan.steps)]
    predicted = _rehearsed(live, plan.steps, composer, found)
    found += promised(connector.describe().promises, plan.steps)
    found += connector.check(plan.steps, origin)
    rights = connector.may_write(plan.steps) if isinstance(connector, Permitting) else []
    found += denied(plan.steps, rights)
    texts = [connector.render(step) for step in plan.steps]
    return Plan(plan.steps, tuple(found), tuple(rights)), texts, predicted


def _changed_since(connector: Connector, live: Snapshot, steps: tuple[Step, ...]) -> list[Finding]:
    """Read again what the plan touches, and tell what is no longer as it was looked at."""
    places: dict[Path, None] = {}
    for step in steps:
        node = live.find(step.path)
        if node is not None:
            places[node.path] = None
    schema = live.schema
    found = []
    for path, now in zip(places, read(connector, list(places)), strict=True):
        then = live.get(path)
        assert then is not None
        as_then = Step(number=0, action="update", path=path, kind=then.kind, before=then.attributes)
        if not holds(schema, as_then, now):
            text = "It was changed, or went away, since live was looked at. Look again first."
            found.append(Finding("stop", "changed-since", text, path))
    return found


def _rehearsed(
    live: Snapshot, steps: tuple[Step, ...], composer: Composer, findings: list[Finding]
) -> Snapshot | None:
    """Carry steps out on a copy of live; note where one does not find what it expects."""
    schema = live.schema
    try:
        return rehearse(live, steps, composer)
    except Mismatch as mismatch:
        step = mismatch.step
        if is_done(schema, step, mismatch.found):
            text = "It is already as this step would leave it."
            findings.append(Finding("note", "already", text, step.path))
        else:
            text = (
                "It is no longer what the run left, so it cannot be taken back without losing what "
                "came after. Restore it from a backup instead."
            )
            findings.append(Finding("stop", "changed-since", text, step.path))
    return None


def summary(plan: Plan, left_tally: dict[str, int]) -> dict[str, object]:
    """Return the numbers of the sentence at the top of a preview."""
    by_action: dict[str, set[Path]] = {"create": set(), "delete": set(), "change": set()}
    created = {step.final_path for step in plan.steps if step.action == "create"}
    for step in plan.steps:
        if step.action in ("create", "delete"):
            by_action[step.action].add(step.path)
        elif step.final_path not in created:
            by_action["change"].add(step.final_path)
    moved_then_changed = {s.path: s.final_path for s in plan.steps if s.action == "move"}
    changes = {moved_then_changed.get(path, path) for path in by_action["change"]}
    return {
        "created": len(by_action["create"]),
        "changed": len(changes),
        "removed": len(by_action["delete"]),
        "steps": len(plan.steps),
        "left": left_tally,
        "names": list(
            dict.fromkeys(s.final_path[-1] for s in plan.steps if s.final_path and not s.reason)
        )[:_NAMED],
    }
