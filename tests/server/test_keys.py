"""The key: a lost one is told, not replaced; it can be changed, and a change that died goes on."""

import os
import secrets
from collections.abc import Iterator
from pathlib import Path

import pytest
from django.conf import settings
from django.test import Client

from demo.servers.slapd import Slapd
from keepsort.core.plan import Pick
from keepsort.server import keys
from keepsort.server.accounts.models import Role, User
from keepsort.server.attention.items import items
from keepsort.server.problems import Problem
from keepsort.server.restores import engine
from keepsort.server.restores.previewing import open_plan, preview
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import take
from keepsort.server.systems import keeping
from keepsort.server.systems.models import CopyPlace, KeptSecret, System
from keepsort.server.systems.services import add_system, change_system, endpoint_of
from tests.conftest import PASSWORD, dn

pytestmark = pytest.mark.django_db(transaction=True)

SECRET_OPTION = {"prefix": "/plant/", "key_password": "sea-fan"}
ANSEL = ("ou=divers", "cn=Ansel Brandvold")


@pytest.fixture
def state(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Iterator[Path]:
    """A state folder with a key file, as an installation has it."""
    monkeypatch.delenv("KEEPSORT_KEY")
    monkeypatch.setattr(settings, "STATE", tmp_path)
    _use(monkeypatch)
    keeping._digest_keys.clear()
    yield tmp_path
    keeping._digest_keys.clear()


def _use(monkeypatch: pytest.MonkeyPatch) -> None:
    """Be a process that was just started."""
    monkeypatch.setattr(settings, "KEY", keys.load_key(settings.STATE))
    keeping._digest_keys.clear()


def _place(people: System) -> CopyPlace:
    return CopyPlace.objects.create(
        system=people, address="file:///nowhere", pattern="{number}.zip", sealed=True,
        password=keeping.encrypt(b"of the place", keeping.PLACE),
        passphrase=keeping.encrypt(b"of the copies", keeping.PASSPHRASE),
    )  # fmt: skip


def test_a_lost_key_is_told_with_what_is_lost(
    state: Path, people: System, slapd: Slapd, monkeypatch: pytest.MonkeyPatch
) -> None:
    backup = take(people, Record.Kind.BACKUP)
    slapd.change(f"dn: {dn('Ansel Brandvold')}\nchangetype: delete\n")
    keeping.check()
    kept = KeptSecret.objects.count()
    assert kept
    _place(people)
    (state / "key").unlink()
    _use(monkeypatch)
    with pytest.raises(keeping.WrongKey) as told:
        keeping.check()
    assert f"passwords of 1 systems and {kept} secrets" in str(told.value)
    assert "accept-loss" in told.value.way_out
    assert keeping.accept_loss() == (2, kept)
    keeping.check()
    assert "copies-lost" in [item.code for item in items()]
    # all goes on, and each lost thing is asked for where it is needed
    people.refresh_from_db()
    with pytest.raises(Problem, match="password of People was lost"):
        take(people, Record.Kind.LOOK)
    client = Client()
    client.force_login(User.objects.create_user("admin", role=Role.ADMINISTRATOR))
    for address in ("systems", "settings", f"records/{backup.pk}", "runs"):
        assert client.get(f"/api/v1/{address}").status_code == 200, address
    change_system(people, "People", people.address, people.options, people.user, PASSWORD)
    plan = preview(backup, [Pick(ANSEL)])
    stops = [f.code for f in open_plan(plan).findings if f.level in ("stop", "ask")]
    assert stops == ["secret-unknown"], "its password was lost, and is not made up"


def test_the_key_is_changed_and_nothing_tells_as_different(
    state: Path, people: System, slapd: Slapd, monkeypatch: pytest.MonkeyPatch
) -> None:
    backup = take(people, Record.Kind.BACKUP)
    place = _place(people)
    store = add_system("Plant", "keystore", "http://127.0.0.1:1", SECRET_OPTION, "", "")
    before = (state / "key").read_text()
    count = keeping.rotate()
    assert count == KeptSecret.objects.count() + 5
    assert (state / "key").read_text() != before
    assert (state / keys.OLD).read_text() == before
    # one that was not started anew still reads everything, and writes with the old key
    assert endpoint_of(System.objects.get(name="People")).password == PASSWORD
    late = KeptSecret.objects.create(
        system=people, digest="late", value=keeping.encrypt(b"late", keeping.VAULT)
    )
    _use(monkeypatch)
    keeping.check()
    assert keeping.rotate() == 1, "what was written meanwhile"
    assert not (state / keys.OLD).exists()
    late.refresh_from_db()
    assert keeping.decrypt(bytes(late.value), keeping.VAULT) == b"late"
    people.refresh_from_db()
    store.refresh_from_db()
    assert endpoint_of(store).options == SECRET_OPTION
    place.refresh_from_db()
    assert keeping.decrypt(bytes(place.password), keeping.PLACE) == b"of the place"
    assert keeping.decrypt(bytes(place.passphrase), keeping.PASSPHRASE) == b"of the copies"
    assert take(people, Record.Kind.LOOK).changes == {}
    slapd.change(f"dn: {dn('Ansel Brandvold')}\nchangetype: delete\n")
    run = engine.carry_out(engine.start(preview(backup, [Pick(ANSEL)]), [], None).pk)
    assert run.outcome == "verified", "with the password it had"
    found = slapd.search("(cn=Ansel Brandvold)", "userPassword")
    assert "userPassword" in found


def test_a_secret_option_is_encrypted_and_never_sent_out(
    state: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    client = Client()
    client.force_login(User.objects.create_user("admin", role=Role.ADMINISTRATOR))
    body = {"name": "Plant", "connector": "keystore", "address": "http://127.0.0.1:1",
            "options": SECRET_OPTION, "password": ""}  # fmt: skip

    def put(method: str, place: str, **changed: object) -> dict[str, object]:
        answer = getattr(client, method)(place, body | changed, content_type="application/json")
        assert answer.status_code < 300, answer.content
        assert "sea-fan" not in answer.content.decode()
        return dict(answer.json())

    made = put("post", "/api/v1/settings")
    assert (made["options"], made["has_secrets"]) == ({"prefix": "/plant/"}, ["key_password"])
    system = System.objects.get()
    assert "sea-fan" not in str(vars(system))
    assert endpoint_of(system).options == SECRET_OPTION
    # what is not given stays, what is given takes its place
    place = f"/api/v1/settings/{made['id']}"
    put("put", place, options={"prefix": "/other/", "key_password": ""}, password=None)
    assert endpoint_of(System.objects.get()).options == SECRET_OPTION | {"prefix": "/other/"}
    put("put", place, options={"key_password": "sea-pen"}, password=None)
    assert endpoint_of(System.objects.get()).options == {"key_password": "sea-pen"}
    (state / "key").unlink()
    _use(monkeypatch)
    assert keeping.accept_loss() == (1, 0)
    assert System.objects.get().password_lost
    client.force_login(User.objects.get())
    assert put("put", place, options={}, password="")["has_secrets"] == []


@pytest.mark.parametrize("moment", ["in the middle", "before the files", "between the files"])
def test_a_change_that_died_goes_on(
    moment: str, state: Path, people: System, monkeypatch: pytest.MonkeyPatch
) -> None:
    take(people, Record.Kind.BACKUP)
    for number in range(40):
        value = keeping.encrypt(secrets.token_bytes(8), keeping.VAULT)
        KeptSecret.objects.create(system=people, digest=f"d{number}", value=value)
    real_anew, real_replace = keeping._anew, os.replace
    calls = 0

    class Killed(BaseException):
        pass

    def anew(*arguments: object) -> object:
        nonlocal calls
        calls += 1
        if calls == 20:
            raise Killed
        return real_anew(*arguments)  # type: ignore[arg-type]

    def dies(*_: object) -> None:
        raise Killed

    with monkeypatch.context() as broken:
        if moment == "in the middle":
            broken.setattr(keeping, "_anew", anew)
        elif moment == "before the files":
            broken.setattr(keeping, "_swap_files", dies)
        else:
            broken.setattr(os, "replace", dies)
        with pytest.raises(Killed):
            keeping.rotate()
    assert os.replace is real_replace
    _use(monkeypatch)
    keeping.check()
    for row in KeptSecret.objects.all():
        keeping.decrypt(bytes(row.value), keeping.VAULT)
    keeping.rotate()
    _use(monkeypatch)
    keeping.rotate()
    _use(monkeypatch)
    keeping.check()
    assert sorted(p.name for p in state.iterdir() if p.name.startswith("key")) == ["key"]
    for row in KeptSecret.objects.all():
        keeping.decrypt(bytes(row.value), keeping.VAULT)
    assert endpoint_of(System.objects.get(name="People")).password == PASSWORD
