"""Planning a restore: its cost grows with what is picked, not with its square."""

from collections.abc import Iterator
from pathlib import Path

from benchmarks.measuring import Figure, median

_FEW, _MANY = 2_000, 16_000
_BRANCHES = 50


def figures(folder: Path) -> Iterator[Figure]:
    """Plan two sizes of each kind of difference; eight times as much may take ten times as long."""
    from keepsort.core.compare import compare
    from keepsort.core.model import AttributeSpec, ConfigObject, Kind, Path, Schema
    from keepsort.core.plan import Pick, plan_restore
    from keepsort.core.snapshot import MemoryStore, Snapshot, SnapshotBuilder
    from keepsort.server import cycle_collector

    specs = {"member": AttributeSpec(shape="set", reference=True)}
    schema = Schema(kinds={"keeper": Kind("keeper", "keeper", attributes=specs)})

    def tree(store: MemoryStore, count: int, state: str, *, backup: bool) -> Snapshot:
        builder = SnapshotBuilder(store, schema, depth_first=False)
        builder.add((), ConfigObject(name="", kind="keeper"))
        for number in range(_BRANCHES):
            name = f"unit-{number}"
            builder.add((name,), ConfigObject(name=name, kind="keeper", identity=name))
        for number in range(count):
            if state == ("extra" if backup else "missing"):
                continue
            unit = number % _BRANCHES if backup or state != "moved" else (number + 1) % _BRANCHES
            path: Path = (f"unit-{unit}", f"keeper-{number}")
            attributes = {
                "title": f"{number} {backup if state == 'changed' else ''}",
                # each names the one before it, which comes along or moves too
                "member": [f"/unit-{(number - 1) % _BRANCHES}/keeper-{max(number - 1, 0)}"],
            }
            builder.add(
                path,
                ConfigObject(
                    name=path[-1], kind="keeper", identity=path[-1], attributes=attributes
                ),
            )
        return builder.finish()

    for state in ("missing", "changed", "moved", "extra"):
        taken = []
        for count in (_FEW, _MANY):
            store = MemoryStore()
            found = compare(
                tree(store, count, state, backup=True), tree(store, count, state, backup=False)
            )
            picks = [Pick((), "branch"), Pick((), "remove")]
            with cycle_collector.paused():  # as the server plans
                taken.append(median(lambda f=found, p=picks: plan_restore(f, p)))
        yield Figure(
            f"planning {_MANY:,} objects that are {state}, against planning {_FEW:,}",
            taken[1], taken[0], 10,
        )  # fmt: skip
