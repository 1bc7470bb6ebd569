"""Opened files: beside live systems nothing is made up, and the API keeps its bounds."""

import io
import json
from datetime import timedelta

import pytest
from django.test import Client
from django.utils import timezone
from hypothesis import given, settings
from hypothesis import strategies as st
from hypothesis.extra.django import TestCase

from keepsort.core.compare.gaps import filled
from keepsort.core.model import ConfigObject, Path
from keepsort.core.model.masks import mark, unknown
from keepsort.server.accounts.models import User
from keepsort.server.files.exporting import Wanted, export
from keepsort.server.files.models import OpenedFile
from keepsort.server.files.opening import drop_file, open_file
from keepsort.server.files.standing import standing
from keepsort.server.housekeeping import tidy
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot
from keepsort.server.sorting.comparing import Terms, compared
from keepsort.server.systems.models import System
from keepsort.server.systems.vault import Vault
from tests.core.trees import Tree, trees
from tests.server.records import a_system, keep

FORMS = [
    "archive",
    "text",
    "json",
    "yaml",
    "toml",
    "ini",
    "csv",
    "csv-objects",
    "xlsx",
    "xlsx-objects",
]


def opened(record: Record, form: str, *branches: Path, **more: str) -> OpenedFile:
    out = io.BytesIO()
    export(record, Wanted(branches), form, out, **more)  # type: ignore[arg-type]
    out.seek(0)
    return open_file(out, f"it.{form}", passphrase=more.get("passphrase", ""))


class Laws(TestCase):
    @settings(max_examples=25, deadline=None)
    @given(trees(), trees(), st.sampled_from(FORMS), st.data())
    def test_a_file_beside_any_tree_differs_as_its_backup_does(
        self, objects: Tree, live: Tree, form: str, data: st.DataObject
    ) -> None:
        """The naive version: the backup itself, compared object by object with what is live."""
        system = a_system(f"Plant {System.every.count()}")
        backup, look = keep(system, objects), keep(system, live, kind=Record.Kind.LOOK)
        at = data.draw(st.sampled_from(sorted(objects)))
        file = opened(backup, form, at)
        schema = open_snapshot(backup).schema
        # beside what it came from, nothing differs
        beside = compared(file.record, backup)
        assert not beside.tally
        left = standing(file.record, backup).tree
        assert {n.path for n in left.walk()} >= {p for p in objects if p[: len(at)] == at}
        if form != "archive":
            assert left.root.significant == open_snapshot(backup).root.significant
            assert beside.same == sum(p[: len(at)] == at for p in objects)
        # beside another tree, what it tells of is there and what it does not mention is as it was
        try:
            placed = standing(file.record, look)
        except Problem:
            return
        if form == "archive":
            return
        told = {schema.names.keys(p): o for p, o in objects.items() if p[: len(at)] == at}
        there = {schema.names.keys(n.path): placed.tree.object(n) for n in placed.tree.walk()}
        for path, obj in live.items():
            key = schema.names.keys(path)
            if key not in told and key in there:
                assert there[key].attributes.keys() == obj.attributes.keys()
        aside = {schema.names.keys(one.path) for one in placed.aside}
        for key in told:
            assert key in there or any(key[: len(one)] == one for one in aside)


@given(st.lists(st.sampled_from(["a", "pw = {}", "key {} of {}"]), max_size=6), st.data())
def test_unknown_secrets_in_texts_are_filled_and_known_ones_stay(
    rows: list[str], data: st.DataObject
) -> None:
    def text(kind: str) -> str:
        number = 0

        def one() -> str:
            nonlocal number
            number += 1
            return mark(unknown(str(number).encode()) if kind == "file" else f"{number:032x}"[::-1])

        return "\n".join(row.format(*(one() for _ in range(row.count("{}")))) for row in rows)

    assert filled(text("file"), text("live")) == text("live")
    extra = "\npassword " + mark(unknown(b"x"))
    assert filled(text("file") + extra, text("live")).endswith(extra)
    other = text("live").replace("0", "7")
    assert filled(other, text("live")) == other, "what is known is never replaced"


def a_tree(title: str = "Lead", badge: str = "d1") -> Tree:
    imke = ConfigObject(
        name="imke", kind="keeper", identity="i",
        attributes={"title": title, "badge": badge, "phone": ["1", "2"], "depth": 3},
    )  # fmt: skip
    divers = ConfigObject(name="divers", kind="group", identity="g")
    return {(): ConfigObject(name="", kind="group"), ("divers",): divers, ("divers", "imke"): imke}


@pytest.fixture
def backup(db: None) -> Record:
    return keep(a_system(), a_tree())


def test_what_is_left_out_is_told_as_no_difference(backup: Record) -> None:
    look = keep(backup.system, a_tree("Lead", "d2"), kind=Record.Kind.LOOK)
    for form in FORMS:
        file = opened(backup, form)
        assert compared(file.record, look).tally == {}, form
        assert compared(look, file.record).tally == {}, form
    assert compared(backup, look).tally == {"changed": 1}, "the backup itself does know"


def test_a_sealed_secret_is_another_installations_and_means_the_same_here(backup: Record) -> None:
    vault = Vault(backup.system)
    digest = vault.digest(b"sea-wolf")
    vault.flush()
    known = keep(backup.system, a_tree(badge=digest))
    look = keep(backup.system, a_tree(badge=vault.digest(b"other")), kind=Record.Kind.LOOK)
    for form in ("archive", "text", "json", "yaml", "toml"):
        file = opened(known, form, passphrase="long enough")
        assert file.secrets == 0
        assert compared(file.record, known).tally == {}, form
        [found] = compared(file.record, look).differences
        assert found.attributes == ("badge",), form
        raw = json.dumps(list(file.record.system.keptsecret_set.values_list("digest", flat=True)))
        assert digest not in raw, "each file keeps its secrets under names of its own"


def test_ids_of_another_system_mean_nothing_here(backup: Record) -> None:
    other = {p: ConfigObject(name=o.name, kind=o.kind, identity=f"x{o.identity}", attributes=o.attributes)
             for p, o in a_tree("Head").items()}  # fmt: skip
    file = opened(keep(a_system("Other"), other), "archive")
    [found] = compared(file.record, backup).differences
    assert (found.state, found.attributes) == ("changed", ("title",))


def test_where_a_branch_hangs_is_chosen(backup: Record) -> None:
    file = opened(backup, "text", ("divers",))
    annex = {**a_tree(), ("annex",): ConfigObject(name="annex", kind="group")}
    look = keep(backup.system, annex, kind=Record.Kind.LOOK)
    found = compared(file.record, look, Terms(hangs=("annex",)))
    assert found.tally == {"missing": 2}
    assert [d.path for d in found.differences] == [("annex", "divers"), ("annex", "divers", "imke")]
    with pytest.raises(Problem, match="There is no /nowhere"):
        compared(file.record, look, Terms(hangs=("nowhere",)))


def test_what_has_no_place_is_named_and_the_rest_is_there(backup: Record) -> None:
    text = (
        b"[keeper] /divers/imke\n  title: text Head\n[squid] /divers/x\n  a: number 1\n"
        b"[keeper] /nowhere/y\n"
    )
    file = open_file(io.BytesIO(text), "it")
    placed = standing(file.record, backup)
    assert {one.path: one.why for one in placed.aside} == {
        ("divers", "x"): "this system knows no squid",
        ("nowhere", "y"): "nothing is there to hold it",
    }
    found = compared(file.record, backup)
    assert [d.attributes for d in found.differences] == [("title",)]
    assert found.same == 0, "one is mentioned and placed, and it differs"


@pytest.fixture
def operator(db: None) -> Client:
    client = Client()
    client.force_login(User.objects.create_user("odd", role="operator"))
    return client


def test_over_the_api(backup: Record, operator: Client) -> None:
    raw = b"[keeper] /divers/imke\n  title: text Head\n  badge: secret left out\n"

    def send(body: bytes, query: str = "?name=it.txt") -> object:
        kind = "application/octet-stream"
        return operator.post(f"/api/v1/files{query}", body, content_type=kind)

    answer = send(raw)
    assert answer.status_code == 201, answer.content  # type: ignore[attr-defined]
    told = answer.json()  # type: ignore[attr-defined]
    assert (told["form"], told["objects"], told["secrets"]) == ("text", 1, 1)
    assert backup.system_id in told["fits"]
    number = told["id"]
    assert [one["id"] for one in operator.get("/api/v1/files").json()] == [number]
    shown = operator.get(f"/api/v1/files/{number}/object", {"path": '["divers","imke"]'}).json()
    assert shown["attributes"] == [
        {"name": "badge", "values": ["not in the file"], "more": 0},
        {"name": "title", "values": ["Head"], "more": 0},
    ]
    top = operator.get(f"/api/v1/files/{number}/object", {"path": "[]"}).json()
    assert (top["mentioned"], top["total"]) == (False, 1)
    found = operator.get(f"/api/v1/files/{number}/search", {"text": "HEAD"}).json()
    assert [one["name"] for one in found["found"]] == ["imke"]
    head = operator.get("/api/v1/compare", {"left": number, "right": backup.pk}).json()
    assert (head["tally"], head["mentions"], head["same"]) == ({"changed": 1}, 1, 0)
    assert (
        operator.post(
            f"/api/v1/files/{number}/import",
            {"system": backup.system_id},
            content_type="application/json",
        ).status_code
        == 400
    )
    refused = send(b"[keeper] /a\n x\n")
    assert refused.status_code == 400  # type: ignore[attr-defined]
    assert "it.txt cannot be opened as text: line 2" in refused.json()["error"]  # type: ignore[attr-defined]
    assert send(b"x", "?form=tape").status_code == 400  # type: ignore[attr-defined]
    assert (
        operator.post("/api/v1/files", {"a": 1}, content_type="application/json").status_code == 415
    )
    # a viewer may look at what others opened, and live systems are listed without it
    assert [s["name"] for s in operator.get("/api/v1/systems").json()] == ["Plant"]
    assert operator.delete(f"/api/v1/files/{number}").status_code == 204
    assert not System.every.filter(is_file=True).exists()
    assert operator.get(f"/api/v1/files/{number}").status_code == 404


def test_several_places_go_out_and_secrets_only_by_an_administrator(
    backup: Record, operator: Client
) -> None:
    address = f"/api/v1/records/{backup.pk}/export"
    asked = {"form": "text", "branches": [["divers", "imke"]], "single": [["divers"]]}
    ahead = operator.post(f"{address}/ahead", asked, content_type="application/json").json()
    answer = operator.post(address, asked, content_type="application/json")
    raw = b"".join(answer.streaming_content)  # type: ignore[attr-defined]
    assert (ahead["objects"], ahead["bytes"]) == (2, len(raw))
    file = open_file(io.BytesIO(raw), "some")
    assert compared(file.record, backup).tally == {}
    again = operator.post(address, asked, content_type="application/json")
    assert b"".join(again.streaming_content) == raw, "what was made once is given out again"  # type: ignore[attr-defined]
    sealed = {**asked, "passphrase": "long enough"}
    assert operator.post(address, sealed, content_type="application/json").status_code == 403
    User.objects.update(role="administrator")
    assert operator.post(address, sealed, content_type="application/json").status_code == 200


def test_they_go_when_they_have_had_their_time(backup: Record) -> None:
    file = opened(backup, "text")
    tidy()
    assert OpenedFile.objects.count() == 1
    OpenedFile.objects.update(keep_until=timezone.now() - timedelta(seconds=1))
    tidy()
    assert not OpenedFile.objects.exists()
    assert not Record.objects.filter(pk=file.record_id).exists()
    again = opened(backup, "archive")
    drop_file(again)
    assert list(System.every.all()) == [backup.system]


def test_nothing_is_kept_of_a_bad_one(backup: Record) -> None:
    before = Record.objects.count()
    for raw in (b"[keeper] /a\n[keeper] /a\n", b"[keeper] /a\n x\n", b"PK\x03\x04"):
        with pytest.raises(Problem, match="Nothing was kept of it"):
            open_file(io.BytesIO(raw), "bad")
    assert Record.objects.count() == before
    assert not System.every.filter(is_file=True).exists()


def test_an_opened_file_goes_out_again_and_tells_no_more(backup: Record) -> None:
    text = b"[keeper] /divers/imke\n  title: text Head\n  badge: secret left out\n"
    file = open_file(io.BytesIO(text), "it")
    for form in ("text", "archive", "json"):
        again = opened(file.record, form)
        assert (again.record.objects_count, again.whole, again.secrets) == (1, False, 1), form
        [found] = compared(again.record, backup).differences
        assert found.attributes == ("title",), form


def test_what_the_system_refuses_is_left_out_and_the_rest_goes_on(backup: Record) -> None:
    """Planned without a live system: what `check` would refuse is given as findings."""
    from keepsort.core.plan import Finding, Pick, Plan, Step
    from keepsort.server.restores.refused import without_refused

    file = open_file(io.BytesIO(b"[keeper] /divers/imke\n  title: text Head\n"), "it")
    steps = tuple(
        Step(number=n, action="create", path=("divers", name), kind="keeper", after={})
        for n, name in enumerate("abc", 1)
    )
    stop = Finding("stop", "not-in-limits", "mist lies between 0 and 40.", ("divers", "b"))
    less = without_refused(file.record, Plan(steps, (stop,)), [Pick(("divers",), "branch")])
    assert less is not None
    [pick], told = less
    assert [out.path for out in pick.without] == [("divers", "b")]
    assert [f.level for f in told] == ["confirm", "note"]
    assert told[0].text.startswith("2 of 3 objects can be written; 1 cannot")
    single = [Pick(("divers", name)) for name in "abc"]
    less = without_refused(file.record, Plan(steps, (stop,)), single)
    assert less is not None
    assert [pick.path[-1] for pick in less[0]] == ["a", "c"]
    # nothing else is left, it is no file, or the whole system refuses: then it stops
    assert without_refused(file.record, Plan(steps[1:2], (stop,)), single[1:2]) is None
    assert without_refused(backup, Plan(steps, (stop,)), single) is None
    locked = Finding("stop", "locked", "Somebody edits it.", ("divers", "b"))
    assert without_refused(file.record, Plan(steps, (locked,)), single) is None
