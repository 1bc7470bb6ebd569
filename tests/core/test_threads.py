"""Steps that happen together, judged by carrying them out on a tree one after the other."""

from hypothesis import given
from hypothesis import strategies as st

from keepsort.core.model import ConfigObject, Kind, Path, Schema
from keepsort.core.plan import Step, threaded
from keepsort.core.plan.rehearsal import carry_out, holds, is_done
from keepsort.core.snapshot import Draft, MemoryStore, SnapshotBuilder

SCHEMA = Schema(kinds={"thing": Kind("thing", "thing")})
TREE: list[Path] = [(), ("a",), ("b",), ("a", "x"), ("a", "y"), ("b", "z"), ("a", "x", "deep")]


def tree() -> Draft:
    builder = SnapshotBuilder(MemoryStore(), SCHEMA)
    for path in TREE:
        name = path[-1] if path else ""
        builder.add(path, ConfigObject(name=name, kind="thing", attributes={"n": len(path)}))
    return Draft(builder.finish())


@st.composite
def plans(draw: st.DrawFn) -> tuple[list[Step], Draft]:
    """Steps that each find what they expect, and the tree after them."""
    draft, steps = tree(), []
    for number in range(1, draw(st.integers(1, 9)) + 1):
        there = [p for p in walk(draft, ()) if p]
        action = draw(st.sampled_from(["update", "move", "create", "delete"]))
        name = f"new-{number}"  # no object takes the place of another
        above = draw(st.sampled_from([(), *there]))
        path = draw(st.sampled_from(there)) if there else ()
        to = None
        if action == "create" or not there:
            action, path = "create", (*above, name)
        elif action == "move":
            to = (*above, name)
            if to[: len(path)] == path:
                continue
        elif action == "delete" and draft.names(path):
            continue
        found = draft.get(path)
        step = Step(
            number=number, action=action, path=path, to=to, kind="thing",  # type: ignore[arg-type]
            before=found.attributes if found else None,
            after=None if action == "delete" else {"n": draw(st.integers(0, 99))},
        )  # fmt: skip
        carry_out(draft, step)
        steps.append(step)
    return steps, draft


def walk(draft: Draft, path: Path) -> list[Path]:
    return [path, *(p for name in draft.names(path) for p in walk(draft, (*path, name)))]


@given(plans())
def test_a_thread_leads_from_what_was_to_what_is(made: tuple[list[Step], Draft]) -> None:
    steps, after = made
    before = tree()
    threads = threaded(SCHEMA, steps)
    assert sorted(p for thread in threads for p in thread.places) == list(range(len(steps)))
    for thread in threads:
        whole = thread.whole
        own = [steps[place] for place in thread.places]
        if own[0].action == "create" and own[-1].action == "delete":
            continue  # it was never there for anybody else
        if own[0].action == "create":
            assert whole.before is None
            assert not before.has(whole.path)
        else:
            assert holds(SCHEMA, whole, before.get(whole.path)), whole
        if own[-1].action != "delete":
            assert is_done(SCHEMA, whole, after.get(whole.final_path)), whole
    moved = [t.whole.final_path for t in threads if t.whole.after is not None]
    assert len(set(moved)) == len(moved), "no two objects end in one place"
