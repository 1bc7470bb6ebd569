"""Corners of real key stores: folders that come and go, large values, rights that overlap."""

from collections.abc import Iterator, Sequence
from pathlib import Path as FilePath

import msgspec
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from demo.servers.etcd import Etcd
from keepsort.connectors.applying import carry_out
from keepsort.connectors.base import Endpoint
from keepsort.connectors.keystore.connector import KeyStore
from keepsort.connectors.keystore.ranges import merged, shared
from keepsort.connectors.keystore.values import COMPOSER, stored, typed
from keepsort.core.compare import compare
from keepsort.core.compare.maps import map_changes
from keepsort.core.compare.values import equal_values
from keepsort.core.model import AttributeSpec, Path
from keepsort.core.plan import AttributePick, Pick, Step, Unfit, plan_restore, plan_undo
from keepsort.core.snapshot import MemoryStore, Snapshot, SnapshotBuilder


@pytest.fixture(scope="module")
def server(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Etcd]:
    etcd = Etcd(tmp_path_factory.mktemp("etcd"), options=["--unsafe-no-fsync"])
    yield etcd
    etcd.stop()


@pytest.fixture
def etcd(server: Etcd) -> Etcd:
    server.ctl("del", "--prefix", "")
    return server


class Desk:
    """A key store, its looks, and restores as a run makes them."""

    def __init__(self, etcd: Etcd, user: str = "", password: str = "", **options: str) -> None:
        options = {"prefix": "/plant/", **options}
        self.store = MemoryStore()
        self.keys = KeyStore(
            Endpoint(address=etcd.address, options=options, user=user, password=password)
        )

    def look(self, branch: Path = ()) -> Snapshot:
        builder = SnapshotBuilder(self.store, self.keys.describe().schema, at=branch)
        for path, obj in self.keys.observe(branch):
            builder.add(path, obj)
        return builder.finish()

    def carry_out(self, steps: Sequence[Step]) -> None:
        for group in self.keys.groups(steps):
            carry_out(self.keys, self.keys.describe(), group)

    def there_and_back(self, backup: Snapshot, *picks: Pick) -> Snapshot:
        before = self.look()
        plan = plan_restore(compare(backup, before), picks, composer=COMPOSER)
        assert not plan.stopped, plan.findings
        self.carry_out(plan.steps)
        after = self.look()
        undo = plan_undo(plan.steps, before, after)
        self.carry_out(undo)
        assert not compare(before, self.look()).differences, "undo"
        self.carry_out(plan.steps)
        return self.look()


def test_a_folder_goes_with_its_last_key_and_comes_back_with_it(etcd: Etcd) -> None:
    desk = Desk(etcd)
    etcd.put("/plant/kept", "1")
    empty = desk.look()
    etcd.put("/plant/deep/down/key", "1")
    full = desk.look()
    assert not compare(empty, desk.there_and_back(empty, Pick(("deep",), "remove"))).differences
    plan = plan_restore(compare(full, desk.look()), [Pick(("deep", "down", "key"))])
    assert [s.path for s in plan.steps] == [("deep", "down", "key")]
    assert not compare(full, desk.there_and_back(full, Pick(("deep", "down", "key")))).differences


def test_a_folder_without_its_keys_comes_to_nothing_and_says_so(etcd: Etcd) -> None:
    desk = Desk(etcd)
    etcd.put("/plant/deep/key", "1")
    backup = desk.look()
    etcd.delete("/plant/deep/key")
    plan = plan_restore(compare(backup, desk.look()), [Pick(("deep",))])
    assert not plan.steps
    assert [(f.level, f.code) for f in plan.findings] == [("note", "nothing-to-do")]
    assert "Pick what it holds" in plan.findings[0].text


@pytest.mark.parametrize(("was", "now"), [("key", "folder"), ("folder", "key")])
@pytest.mark.parametrize("part", ["kind", "value", ""])
def test_a_key_and_a_folder_that_changed_places(etcd: Etcd, was: str, now: str, part: str) -> None:
    def become(what: str) -> None:
        etcd.ctl("del", "--prefix", "/plant/x")
        etcd.put("/plant/x" if what == "key" else "/plant/x/inner", "value")

    desk = Desk(etcd)
    etcd.put("/plant/other", "1")
    become(was)
    backup = desk.look()
    become(now)
    if part == "value" and was == "folder":
        return  # the folder of the backup has none
    pick = Pick(("x",), "attributes", (AttributePick(part),)) if part else Pick(("x",))
    inner = [Pick(("x", "inner"))] if was == "folder" else []
    after = desk.there_and_back(backup, pick, *inner)
    assert {n.entry.name: n.entry.kind for n in after.walk()}["x"] == was
    value = etcd.ctl("get", "--print-value-only", "/plant/x" if was == "key" else "/plant/x/inner")
    assert value == "value\n", "and never an empty one"


def test_an_empty_prefix_is_all_keys(etcd: Etcd) -> None:
    for key in ("/plant/a", "bare", "\x01odd"):
        etcd.put(key, "1")
    desk = Desk(etcd, prefix="")
    backup = desk.look()
    assert backup.root.total == 1 + 3 + 2, "three keys, and two folders above one of them"
    etcd.ctl("del", "--prefix", "")
    etcd.put("keep", "1")
    assert not compare(
        backup, desk.there_and_back(backup, Pick((), "branch"), Pick((), "remove"))
    ).differences


def test_large_values_are_divided_by_bytes_too(etcd: Etcd) -> None:
    desk = Desk(etcd)
    for number in range(3):
        etcd.put(f"/plant/large/{number}", str(number) * 1_000_000)
    backup = desk.look()
    etcd.ctl("del", "--prefix", "/plant/large")
    etcd.put("/plant/small", "1")
    plan = plan_restore(compare(backup, desk.look()), [Pick((), "branch")])
    (told,) = [f for f in desk.keys.check(plan.steps, backup) if f.code == "several-transactions"]
    assert "1048576 bytes" in told.text
    found = desk.there_and_back(backup, Pick((), "branch"))
    assert {d.state for d in compare(backup, found).differences} == {"extra"}


def test_rights_that_overlap_or_begin_before_the_prefix(tmp_path: FilePath) -> None:
    etcd = Etcd(tmp_path / "etcd", options=["--unsafe-no-fsync"])
    try:
        for key in ("/plant/a", "/plant/b", "/plant/c", "/plant/d", "/plan/z", "/plants/y"):
            etcd.put(key, "1")
        ranges = [("/plant/a", "/plant/c"), ("/plant/b", "/plant/d"), ("/plan", "/plant/aa"),
                  ("/plant/d", "/plant/d\x00"), ("/plants", "/plantz")]  # fmt: skip
        etcd.ctl("user", "add", "root:tide")
        etcd.ctl("user", "add", "keeper:reef")
        etcd.ctl("role", "add", "some")
        for start, end in ranges[:3] + ranges[4:]:
            etcd.ctl("role", "grant-permission", "some", "readwrite", start, end)
        etcd.ctl("user", "grant-role", "root", "root")
        etcd.ctl("user", "grant-role", "keeper", "some")
        etcd.ctl("auth", "enable")
        desk = Desk(etcd, "keeper", "reef")
        assert {n.path for n in desk.look().walk()} == {(), ("a",), ("b",), ("c",)}
        etcd.user = "root:tide"
        etcd.ctl("role", "grant-permission", "some", "readwrite", "/plant/d")
        desk = Desk(etcd, "keeper", "reef")
        backup = desk.look()
        assert ("d",) in {n.path for n in backup.walk()}
        etcd.put("/plant/b", "2")
        assert not compare(backup, desk.there_and_back(backup, Pick(("b",)))).differences
    finally:
        etcd.stop()


spans = st.tuples(st.binary(min_size=1, max_size=2), st.binary(min_size=1, max_size=2)).filter(
    lambda s: s[1] == b"\0" or s[0] < s[1]
)


@given(st.lists(spans, max_size=5), spans, st.binary(min_size=1, max_size=3))
def test_ranges_hold_what_their_keys_say(
    some: list[tuple[bytes, bytes]], other: tuple[bytes, bytes], key: bytes
) -> None:
    def holds(span: tuple[bytes, bytes]) -> bool:
        return key >= span[0] and (span[1] == b"\0" or key < span[1])

    assert any(map(holds, merged(some))) == any(map(holds, some))
    assert sum(map(holds, merged(some))) <= 1, "each key is in one of them"
    for span in some:
        both = shared(span, other)
        assert (both is not None and holds(both)) == (holds(span) and holds(other))


NUMBERS = [
    "0",
    "1",
    "1.0",
    "4.50",
    "1e3",
    "-7",
    "12345678901234567890123",
    "0.30000000000000000001",
]
SCALARS = [*NUMBERS, '"a"', '"\\u00e4"', '"a\\/b"', "true", "null", "[1,  2.0]", '[{"x": 1.10}]']
names = st.sampled_from(["low", "high", "unit", "ä", "deep"])
leaves = st.sampled_from(SCALARS)
members = st.dictionaries(
    names, st.one_of(leaves, st.dictionaries(names, leaves, max_size=3)), max_size=4
)


def spelt(tree: dict[str, object], comma: str, colon: str) -> str:
    inner = [
        f'"{k}"{colon}{spelt(v, comma, colon) if isinstance(v, dict) else v}'
        for k, v in tree.items()
    ]
    return "{" + comma.join(inner) + "}"


@given(
    members, members, st.sampled_from([",", ", ", ",\n  "]), st.sampled_from([":", ": "]), st.data()
)
@settings(max_examples=300, deadline=None)
def test_one_member_of_a_json_value_leaves_the_bytes_of_all_others(
    now: dict[str, object], then: dict[str, object], comma: str, colon: str, data: st.DataObject
) -> None:
    live_text, text = spelt(now, comma, colon), spelt(then, ",", ":")
    live, backup = typed(live_text.encode()), typed(text.encode())
    spec = AttributeSpec(shape="text", number=True)
    if not isinstance(live["value"], dict) or not isinstance(backup["value"], dict):
        return
    changes = [
        c
        for c in map_changes(backup["value"], live["value"], lambda a, b: equal_values(spec, a, b))
        if c.number
    ]
    if not changes:
        return
    change = data.draw(st.sampled_from(changes))
    from keepsort.core.compare.maps import with_keys

    wanted = with_keys(
        backup["value"], live["value"], {change.number}, lambda a, b: equal_values(spec, a, b)
    )
    try:
        found = COMPOSER.settled("key", live, {**live, "value": wanted}, backup)
    except Unfit:
        return
    after = stored(found).decode()
    raw = msgspec.json.Decoder(type=dict[str, msgspec.Raw]).decode
    top = change.keys[0]
    own, old, new = raw(text), raw(live_text), raw(after)
    assert {k: bytes(v) for k, v in new.items() if k != top} == {
        k: bytes(v) for k, v in old.items() if k != top
    }, "every other member keeps its bytes"
    if len(change.keys) == 1:
        assert (bytes(new[top]) if top in new else None) == (
            bytes(own[top]) if top in own else None
        )
