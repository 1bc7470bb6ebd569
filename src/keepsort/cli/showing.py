"""Trees, comparisons, plans and runs on a terminal."""

import sys
from typing import Any

import msgspec

from keepsort.cli.output import Output
from keepsort.core.compare import (
    AttributeDifference,
    CommonChange,
    Comparison,
    Difference,
    Suggestion,
    common_changes,
    compare_attributes,
)
from keepsort.core.compare.anchors import element_name, hunk_names, key_names
from keepsort.core.model import AttributeSpec, ConfigObject, Path, Value
from keepsort.core.model.masks import MASK, masked_value
from keepsort.core.model.notation import write_slash
from keepsort.core.plan import changed_names
from keepsort.core.snapshot import Node, Snapshot
from keepsort.server.history.reading import Moment
from keepsort.server.history.searching import Found
from keepsort.server.restores.models import PlanRecord, Run, RunStep
from keepsort.server.restores.previewing import open_plan
from keepsort.server.snapshots.services import open_snapshot

#: So many steps are named in passing.
_NAMED = 20


def _shown(tree: Snapshot, kind: str, attributes: dict[str, Value]) -> dict[str, Value]:
    return {
        name: MASK if tree.schema.spec(kind, name).secret else masked_value(value)
        for name, value in attributes.items()
    }


def _tree(tree: Snapshot, node: Node, depth: int) -> dict[str, Any]:
    obj = tree.object(node)
    found: dict[str, Any] = {
        "path": tree.schema.notation.write(node.path),
        "slash_path": write_slash(node.path),
        "name": obj.name,
        "kind": obj.kind,
        "identity": obj.identity,
        "attributes": _shown(tree, obj.kind, obj.attributes),
        "facts": _shown(tree, obj.kind, obj.facts),
    }
    if obj.unreadable is not None:
        found["unreadable"] = obj.unreadable
    found["children_count"] = node.entry.children.count if node.entry.children else 0
    if depth > 0:
        found["children"] = [_tree(tree, n, depth - 1) for n in tree.children(node)]
    return found


def _lines(obj: ConfigObject, shown: dict[str, Value], indent: str) -> list[str]:
    lines = []
    for name, value in sorted(shown.items()):
        values = value if isinstance(value, list) else [value]
        lines += [f"{indent}  {name}: {v if not isinstance(v, bytes) else v.hex()}" for v in values]
    if obj.unreadable is not None:
        lines.append(f"{indent}  ({obj.unreadable})")
    return lines


def show_tree(output: Output, tree: Snapshot, path: Path, depth: int) -> None:
    """Show a branch with its attributes."""
    top = tree.find(path)
    assert top is not None
    if output.as_json:
        output.document(_tree(tree, top, depth))
        return
    for node in tree.walk(top):
        level = len(node.path) - len(path)
        if level <= depth:
            obj = tree.object(node)
            indent = "  " * level
            name = obj.name or tree.schema.notation.write(node.path)
            print(f"{indent}{name}  [{tree.schema.label(obj.kind)}]")
            print("\n".join(_lines(obj, _shown(tree, obj.kind, obj.attributes), indent)))


def _difference(found: Comparison, difference: Difference) -> dict[str, Any]:
    schema = found.left.schema
    left = found.left.object(difference.left) if difference.left else None
    right = found.right.object(difference.right) if difference.right else None
    names = set(difference.attributes)
    details = []
    if left is not None and right is not None and names:
        for item in compare_attributes(schema, difference.kind, left.attributes, right.attributes):
            if item.name in names:
                spec = schema.spec(difference.kind, item.name)
                details.append(_attribute(spec, item, difference.path))
        if "kind" in names:
            details.append(
                {"name": "kind", "state": "changed", "backup": left.kind, "live": right.kind}
            )
    result: dict[str, Any] = {
        "path": schema.notation.write(difference.path),
        "slash_path": write_slash(difference.path),
        "difference": difference.state,
        "kind": difference.kind,
        "attributes": details,
    }
    if difference.live_path is not None and difference.state == "moved":
        result["live_path"] = schema.notation.write(difference.live_path)
    if difference.similarity is not None:
        result["similarity"] = difference.similarity
    suggested = _suggested(found, difference)
    if suggested is not None:
        result["suggested_move"] = {
            "path": schema.notation.write(suggested.path),
            "live_path": schema.notation.write(suggested.live_path),
            "similarity": suggested.similarity,
        }
    return result


def _suggested(found: Comparison, difference: Difference) -> Suggestion | None:
    if difference.state not in ("missing", "extra"):
        return None
    return found.suggestion(difference.path, live=difference.state == "extra")


def _attribute(spec: AttributeSpec, item: AttributeDifference, place: Path) -> dict[str, Any]:
    found: dict[str, Any] = {"name": item.name, "state": item.state}
    if spec.secret:
        return found
    found |= {"backup": item.left, "live": item.right}
    if item.only_left or item.only_right:
        found |= {"only_backup": item.only_left, "only_live": item.only_right}
        found["elements"] = [
            {"part": element_name(spec, value, side, place), "value": value, "only_in": where}
            for side, where, values in (
                ("left", "backup", item.only_left), ("right", "live", item.only_right)
            )
            for value in values
        ]  # fmt: skip
    names = hunk_names(item.stretches)
    if names:
        found["hunks"] = [
            {"part": names[s.number], "state": s.state, "backup": s.left, "live": s.right}
            for s in item.stretches
            if s.number
        ]
    if item.keys:
        names = key_names(item.keys)
        found["values"] = [
            {"part": names[k.number], "keys": list(k.keys), "backup": k.left, "live": k.right}
            for k in item.keys
            if k.number
        ]
    return found


def show_comparison(output: Output, found: Comparison, start: Path) -> None:
    """Show how two trees differ."""
    differences = found.beneath(start) if start else found.differences
    tally = found.tally_beneath(start) if start else found.tally
    if output.as_json:
        rows = [_difference(found, d) for d in differences]
        common = [_common(found, one) for one in common_changes(found, differences)]
        output.document(
            {"tally": tally, "same": found.same, "differences": rows, "in_common": common}
        )
        return
    if not differences:
        print("no differences")
    for difference in differences:
        names = f"  ({', '.join(difference.attributes)})" if difference.attributes else ""
        write = found.left.schema.notation.write
        suggested = _suggested(found, difference) if difference.state == "missing" else None
        if suggested is not None:
            names += (
                f"  (perhaps {write(suggested.live_path)}, {int(suggested.similarity * 100)} % "
                "alike; --accept-move takes it so)"
            )
        print(f"{difference.state:<10}  {write(difference.path)}{names}")
    for one in common_changes(found, differences):
        label = found.left.schema.label(one.kind)
        change = _in_words(found.left.schema.spec(one.kind, one.first.name), one.first)
        print(f"the same change in {len(one.paths)} of {label}: {one.first.name}{change}")


def _common(found: Comparison, one: CommonChange) -> dict[str, Any]:
    """Return a change that several objects have in common, and where they are."""
    spec = found.left.schema.spec(one.kind, one.first.name)
    write = found.left.schema.notation.write
    return {
        "kind": one.kind,
        "attribute": _attribute(spec, one.first, one.paths[0]),
        "paths": [write(path) for path in one.paths],
    }


def _in_words(spec: AttributeSpec, item: AttributeDifference) -> str:
    """Say what one value became, where it is one."""
    if spec.secret or item.stretches or item.keys or isinstance(item.left, list):
        return ""
    told = [str(masked_value(v)) if v is not None else "nothing" for v in (item.left, item.right)]
    return f" {told[0]} → {told[1]}"


def _clean(secret_names: set[str], attributes: dict[str, Value] | None) -> dict[str, Value] | None:
    if attributes is None:
        return None
    return {n: MASK if n in secret_names else v for n, v in attributes.items()}


def show_plan(output: Output, record: PlanRecord) -> None:
    """Show a plan: its steps in order and what to know first."""
    plan = open_plan(record)
    schema = open_snapshot(record.look).schema
    if output.as_json:
        steps = []
        for step, rendered in zip(plan.steps, record.rendered, strict=True):
            names = {*(step.before or {}), *(step.after or {})}
            secret = {n for n in names if schema.spec(step.kind, n).secret}
            steps.append(
                {
                    "number": step.number,
                    "action": step.action,
                    "path": schema.notation.write(step.path),
                    "to": schema.notation.write(step.to) if step.to is not None else None,
                    "attributes": changed_names(schema, step),
                    "before": _clean(secret, step.before),
                    "after": _clean(secret, step.after),
                    "needs": list(step.needs),
                    "reason": step.reason,
                    "rendered": rendered,
                }
            )
        findings = [
            {
                "finding": f.name,
                "level": f.level,
                "code": f.code,
                "text": f.text,
                "path": schema.notation.write(f.path),
                "attribute": f.attribute,
                "effect": msgspec.to_builtins(f.effect),
                "budget": msgspec.to_builtins(f.budget),
            }
            for f in plan.findings
        ]
        output.document(
            {
                "plan": record.pk,
                "steps": steps,
                "findings": findings,
                "rights": msgspec.to_builtins(plan.rights),
                "summary": record.summary,
            }
        )
        return
    print(f"plan {record.pk}")
    for step in plan.steps:
        to = f" -> {schema.notation.write(step.to)}" if step.to is not None else ""
        why = f"  ({step.reason})" if step.reason else ""
        print(f"{step.number:>4}  {step.action:<7} {schema.notation.write(step.path)}{to}{why}")
    for finding in plan.findings:
        print(f"{finding.level}: {finding.text}  [{finding.name}]")
    if plan.rights is not None and plan.not_told and not plan.stopped:
        some = ", ".join(str(number) for number in plan.not_told[:_NAMED])
        more = f" and {len(plan.not_told) - _NAMED} more" if len(plan.not_told) > _NAMED else ""
        text = "the system does not say beforehand whether the account may write"
        print(f"note: {text} step {some}{more}")


def show_run(output: Output, run: Run) -> None:
    """Show how a run went; leaves with status 1 unless all of it was done."""
    schema = open_snapshot(run.plan.look).schema
    lines = {line.number: line for line in run.steps.all()}
    steps = [
        {
            "number": s.number,
            "action": s.action,
            "path": schema.notation.write(s.path),
            "state": lines[s.number].state,
            "already": lines[s.number].already,
            "message": lines[s.number].message,
            "report": lines[s.number].report,
        }
        for s in open_plan(run.plan).steps
    ]
    if output.as_json:
        output.document(
            {
                "run": run.pk,
                "outcome": run.outcome,
                "steps": steps,
                "message": run.message,
                "report": run.report,
            }
        )
    else:
        for step in steps:
            print(f"{step['number']:>4}  {step['state']:<8} {step['action']:<7} {step['path']}")
            if step["report"]:
                print(f"      {step['report']}")
        for text in run.report:
            print(text)
        print(f"run {run.pk}: {run.outcome}")
    if run.outcome not in ("verified", "unchanged"):
        done = sum(1 for line in lines.values() if line.state == RunStep.State.DONE)
        print(f"keepsort: {done} of {len(lines)} steps were done. {run.message}", file=sys.stderr)
        sys.exit(1)


def show_found(output: Output, found: Found) -> None:
    """Show what a search found."""
    rows = [
        {
            "system": hit.system_name,
            "path": hit.written,
            "kind": hit.kind,
            "backup": hit.record.pk if hit.record else None,
            "backups": hit.backups,
            "present": hit.now,
            "told_by": hit.told_by.kind,
            "where": hit.where,
        }
        for hit in found.hits
    ]
    if output.as_json:
        output.document({"hits": rows, "more": found.more})
        return
    for row in rows:
        state = "" if row["present"] else f"  (gone; last in backup {row['backup']})"
        if row["backup"] is None:
            state = "  (new live; in no backup)"
        print(f"{row['system']}  {row['path']}  [{row['kind']}]{state}  {row['where']}".rstrip())
    if found.more:
        print("There are more.")
    if not rows:
        print("nothing found")


def show_history(output: Output, moments: list[Moment], tree: Snapshot) -> None:
    """Show the versions of an object, oldest first."""
    rows = [
        {
            "backup": m.record.pk,
            "taken_at": m.record.taken_at.isoformat(timespec="seconds"),
            "state": m.state,
            "attributes": m.attributes,
            "path": tree.schema.notation.write(m.path),
        }
        for m in moments
    ]
    output.many("versions", rows, ["backup", "taken_at", "state", "attributes", "path"])
