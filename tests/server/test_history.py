"""History and search: what the index says of every backup is what the backups hold."""

from itertools import pairwise

import pytest
from django.db import connection
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from keepsort.core.model import ConfigObject, Path
from keepsort.core.model.notation import write_slash
from keepsort.core.snapshot import ChunkMissing
from keepsort.server.history import live
from keepsort.server.history.feeding import catch_up, is_behind
from keepsort.server.history.models import Indexed, Version
from keepsort.server.history.reading import history, since
from keepsort.server.history.searching import search
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.systems.models import System
from tests.core.trees import Tree, trees
from tests.server.records import a_system, keep


def held(record: Record) -> dict[str, str]:
    """All objects of a backup by their places, with their kinds."""
    tree = open_snapshot(record)
    return {write_slash(node.path): node.entry.kind for node in tree.walk()}


def told(system: System, number: int) -> dict[str, str]:
    """All objects that the index says a backup has."""
    rows = Version.objects.filter(system=system, first__lte=number)
    rows = rows.filter(last=None) | rows.filter(last__gte=number)
    listed = list(rows.values_list("key", "kind"))
    found = dict(listed)
    assert len(found) == len(listed), "no place is told twice"
    return found


class TestFeeding(TestCase):
    @settings(max_examples=30, deadline=None)
    @given(st.lists(trees(), min_size=1, max_size=4), st.booleans())
    def test_every_backup_is_told_as_it_is(self, states: list[Tree], one_by_one: bool) -> None:
        system = a_system()
        records = []
        for tree in states:
            records.append(keep(system, tree))
            if one_by_one:
                catch_up(system)
        catch_up(system)
        assert not is_behind(system)
        for number, record in enumerate(records, 1):
            assert told(system, number) == held(record)

    @settings(max_examples=30, deadline=None)
    @given(trees(identities=False), trees(identities=False), st.data())
    def test_a_backup_of_a_branch_tells_of_the_branch_alone(
        self, first: Tree, second: Tree, data: st.DataObject
    ) -> None:
        system = a_system()
        common = sorted(set(first) & set(second))
        at: Path = data.draw(st.sampled_from(common))
        whole, branch, last = keep(system, first), keep(system, second, at), keep(system, second)
        catch_up(system)
        inside = write_slash(at)
        outside = {k: v for k, v in held(whole).items() if not (k + "/").startswith(inside + "/")}
        if at:
            assert told(system, 2) == outside | held(branch)
        assert told(system, 1) == held(whole)
        assert told(system, 3) == held(last)

    @settings(max_examples=40, deadline=None)
    @given(trees(identities=False), trees(identities=False), trees(identities=False), st.data())
    def test_a_branch_tells_of_itself_and_the_newest_look_of_now(
        self, first: Tree, second: Tree, live: Tree, data: st.DataObject
    ) -> None:
        system = a_system()
        at: Path = data.draw(st.sampled_from(sorted(set(first) & set(second))))
        branch_is_newer, whole_is_newest = data.draw(st.booleans()), data.draw(st.booleans())
        states = [(keep(system, first, days_ago=5), first)]
        states.append((keep(system, second, at, days_ago=1 if branch_is_newer else 3), second))
        look = keep(system, live, kind=Record.Kind.LOOK, days_ago=2)
        if whole_is_newest:
            states.append((keep(system, live), live))
        catch_up(system)
        for path in sorted(set(first) | set(second) | set(live)):
            telling = [(r, t.get(path)) for r, t in states if path[: len(r.at)] == tuple(r.at)]
            expected = [
                (r.pk, "gone" if now is None else "new")
                for (_, then), (r, now) in pairwise([(None, None), *telling])
                if (then is None) is not (now is None)
            ]
            told = history(system, path, None, open_snapshot(look))
            flips = [m for m in told if m.state in ("new", "gone")]
            assert [(m.record.pk, m.state) for m in flips] == expected
            having = [r for r, obj in telling if obj is not None]
            newest, there = states[-1] if whole_is_newest else (look, live)
            if branch_is_newer and not whole_is_newest and path[: len(at)] == at:
                newest, there = states[1]
            if not path:
                continue
            hits = [h for h in search(path[-1]).hits if h.path == path]
            if path not in there and not having:
                assert not hits
                continue
            assert [(h.now, h.backups) for h in hits] == [(path in there, len(having))]
            assert hits[0].record == (having[-1] if having else None)
            assert hits[0].told_by == newest
            for gone in (True, False):
                found = [h for h in search(path[-1], gone=gone).hits if h.path == path]
                assert bool(found) is (gone is not (path in there))


def thing(name: str, identity: str | None = None, **attributes: object) -> ConfigObject:
    return ConfigObject(name=name, kind="keeper", identity=identity, attributes=attributes)


def grown(*things: tuple[Path, ConfigObject]) -> Tree:
    return {(): ConfigObject(name="", kind="group"), **dict(things)}


@pytest.fixture
def system(db: None) -> System:
    """Imke came, got a phone, went to the divers, was deleted, and came back."""
    made = a_system()
    divers = (("divers",), ConfigObject(name="divers", kind="group", identity="d"))
    here, there = ("imke farrow",), ("divers", "imke farrow")
    imke = {"title": "Keeper of the lower lagoon", "badge": "a-secret-digest"}
    keep(made, grown(divers), days_ago=9)
    keep(made, grown(divers, (here, thing("imke farrow", "i", **imke))), days_ago=8)
    phoned = thing("imke farrow", "i", **imke, phone=["0142"])
    keep(made, grown(divers, (here, phoned)), days_ago=7)
    keep(made, grown(divers, (there, phoned)), days_ago=6)
    keep(made, grown(divers, (there, phoned)), days_ago=5)
    keep(made, grown(divers), days_ago=4)
    keep(made, grown(divers, (here, thing("imke farrow", "new", **imke))), days_ago=3)
    catch_up(made)
    return made


def numbers(system: System) -> dict[int, int]:
    return dict(Indexed.objects.filter(system=system).values_list("record_id", "number"))


def test_an_object_keeps_its_history_through_moves_and_deletion(system: System) -> None:
    newest = Record.objects.filter(system=system).first()
    assert newest is not None
    tree = open_snapshot(newest)
    found = history(system, ("divers", "imke farrow"), "i", tree)
    number = numbers(system)
    assert [(number[m.record.pk], m.state, m.attributes) for m in found] == [
        (2, "new", []), (3, "changed", ["phone"]), (4, "moved", []), (6, "gone", []),
    ]  # fmt: skip
    # by its place the object that came later is found, and the one that was there before
    by_place = history(system, ("imke farrow",), "new", tree)
    assert [(number[m.record.pk], m.state) for m in by_place] == [
        (2, "new"), (3, "changed"), (4, "moved"), (6, "gone"), (7, "new"),
    ]  # fmt: skip


def test_since_when_a_value_is_as_it_is(system: System) -> None:
    tree = open_snapshot(Record.objects.filter(system=system)[3])
    moments = history(system, ("imke farrow",), "i", tree)[:3]
    now = thing("imke farrow", title="Diver", phone=["0142"])
    found = {s.attribute: s for s in since(moments, now, ["title", "phone", "badge"], None)}
    number = numbers(system)
    assert found["title"].record is None, "no backup has it yet"
    assert found["title"].after == Record.objects.filter(system=system).first()
    assert found["phone"].record is not None
    assert number[found["phone"].record.pk] == 3
    assert found["badge"].record is None, "it is gone from live, and every backup has it"


def test_what_is_gone_is_found_in_the_backups_that_have_it(system: System) -> None:
    other = a_system("Gateway")
    keep(other, grown((("farrow.conf",), thing("farrow.conf"))))
    catch_up(other)
    assert {h.system_name for h in search("arro").hits} == {"Plant", "Gateway"}
    gone = search("imke", system=system, gone=True).hits
    assert [(h.backups, h.now, h.path) for h in gone] == [(4, False, ("divers", "imke farrow"))]
    assert gone[0].record is not None
    assert numbers(system)[gone[0].record.pk] == 5, "the newest backup that has it"
    present = search("imke", system=system, gone=False).hits
    assert [(h.backups, h.now) for h in present] == [(1, True)]
    assert present[0].record == Record.objects.filter(system=system).first()


@pytest.mark.parametrize(
    ("text", "count"),
    [
        ("IMKE", 2), ("ke far", 2), ("imke farrow", 2), ("divers/imke", 1), ("/imke farrow", 2),
        ("lagoon", 2), ("lower lago", 2), ("lagoon lower", 0), ("0142", 1), ("014", 1),
        ("kind:group divers", 1), ("kind:keeper divers", 0), ("kind:group", 2), ("%", 0), ("_m", 0),
        ("secret", 0), ("a-secret-digest", 0), ("nobody", 0), ("' or 1=1 --", 0), ("<-> & !", 0),
    ],
)  # fmt: skip
def test_what_is_found_by_what(system: System, text: str, count: int) -> None:
    if len(text) < 2:
        with pytest.raises(Problem, match="too short"):
            search(text)
        return
    assert len(search(text).hits) == count


def test_a_name_goes_before_a_value_and_the_whole_before_a_part(db: None) -> None:
    system = a_system()
    names = ["pump", "pump-2", "chiller"]
    things = [((n,), thing(n, title="feeds the pump" if n == "chiller" else "x")) for n in names]
    keep(system, grown(*things))
    catch_up(system)
    found = search("pump").hits
    assert [h.name for h in found] == names
    assert [h.where for h in found] == ["", "", "title: feeds the pump"]


def test_a_search_for_part_of_a_name_uses_the_index(system: System) -> None:
    with connection.cursor() as cursor:
        cursor.execute("set local enable_seqscan = off")
        plan = Version.objects.filter(folded__contains="farr").explain()
    assert "version_name" in plan


def test_a_branch_kept_after_the_look_knows_better(db: None) -> None:
    system = a_system()
    divers = (("divers",), ConfigObject(name="divers", kind="group"))
    left = (("divers", "tobin"), thing("tobin"))
    keep(system, grown(divers), days_ago=3)
    keep(system, grown(divers, left), kind=Record.Kind.LOOK, days_ago=2)
    assert [h.record for h in search("tobin").hits] == [None], "new live"
    keep(system, grown(divers), at=("divers",), days_ago=1)
    catch_up(system)
    assert not search("tobin").hits, "deleted again by then"


def test_values_that_only_live_has_are_found(db: None) -> None:
    system = a_system()
    kept = keep(system, grown((("pump",), thing("pump", title="feeds the lagoon"))), days_ago=2)
    look = keep(
        system, grown((("pump",), thing("pump", title="feeds the surge pool"))), kind="look"
    )
    catch_up(system)
    hit = search("surge poo").hits[0]
    assert (hit.record, hit.told_by, hit.where) == (kept, look, "title: feeds the surge pool")
    assert not search("surge feeds").hits


def test_the_trouble_of_one_system_stays_its_own(db: None, monkeypatch: pytest.MonkeyPatch) -> None:
    for name in ("Plant", "Gateway"):
        system = a_system(name)
        keep(system, grown((("pump",), thing("pump"))), days_ago=2)
        keep(system, grown(), kind=Record.Kind.LOOK)
        catch_up(system)
    whole = live.Live.of

    def broken(system: System) -> live.Live | None:
        if system.name == "Gateway":
            raise ChunkMissing("a chunk")
        return whole(system)

    monkeypatch.setattr(live.Live, "of", broken)
    found = search("pump")
    assert {(h.system_name, h.now) for h in found.hits} == {("Plant", False), ("Gateway", True)}
    assert found.unsure == ["Gateway"]
