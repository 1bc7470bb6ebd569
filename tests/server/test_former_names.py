"""What was renamed or dropped since a backup, and what is said for one pick alone, on PostgreSQL."""

from urllib.parse import unquote, urlsplit

import pytest

from keepsort.server.accounts.models import Role
from keepsort.server.restores import engine
from keepsort.server.restores.records import find_plan
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import take
from keepsort.server.sorting.comparing import compared
from keepsort.server.systems.models import System
from keepsort.server.systems.services import add_system
from tests.connectors.test_tables import RegisterSubject, subject, template
from tests.server.test_api import call, signed_in
from tests.servers import postgres

__all__ = ["subject", "template"]


@pytest.fixture
def register(transactional_db: None, subject: RegisterSubject) -> System:
    account = urlsplit(postgres.admin_url())
    address = f"postgresql://127.0.0.1:{postgres.port}/{subject.database}"
    password = unquote(account.password or "")
    return add_system(
        "Register", "tables", address, subject.options, str(account.username), password
    )


def test_a_renamed_column_is_mapped_in_the_preview_and_remembered(
    register: System, subject: RegisterSubject
) -> None:
    backup = take(register, Record.Kind.BACKUP)
    subject.sql(
        "alter table animal rename species to kind; alter table animal drop column weight;"
        "update animal set kind = 'nobody knows' where id in (12, 20)"
    )
    look = take(register, Record.Kind.LOOK)
    client = signed_in(Role.RESTORER)
    picks = [{"path": list(subject.place("animal", n)), "scope": "object"} for n in (12, 20)]
    asked = {"backup": backup.pk, "look": look.pk, "picks": picks}
    plan = call(client, "post", "/api/v1/plans", asked).json()
    gone = {f["attribute"]: f for f in plan["findings"] if f["code"] == "left-out"}
    assert gone.keys() == {"species", "weight"}
    assert {f["level"] for f in gone.values()} == {"confirm"}
    assert "left out of 2 objects" in gone["species"]["text"]
    assert gone["species"]["choices"] == ["kind"]
    # nothing of it is written as it is: no column takes it, and the new one is none of the backup's
    assert not plan["steps"]
    assert {f["attribute"] for f in plan["findings"] if f["code"] == "not-known"} == {"kind"}
    renamed = [{"kind": "animal", "former": "species", "now": "kind"}]
    again = f"/api/v1/plans/{plan['id']}/again"
    mapped = call(client, "post", again, {"renamed": renamed}).json()
    assert [step["changed"] for step in mapped["steps"]] == [["kind"]] * 2
    assert [f["attribute"] for f in mapped["findings"] if f["code"] == "left-out"] == ["weight"]
    register.refresh_from_db()
    assert register.former_names == [], "nobody asked for it to be remembered"
    assert client.get(f"/api/v1/systems/{register.pk}/names").json() == {"names": []}
    call(client, "post", again, {"renamed": renamed, "remember": True})
    assert client.get(f"/api/v1/systems/{register.pk}/names").json() == {"names": renamed}

    found = find_plan(mapped["id"])
    confirmed = [f["name"] for f in mapped["findings"] if f["level"] == "confirm"]
    run = engine.carry_out(engine.start(found, confirmed, None).pk)
    assert run.outcome == "verified", run
    assert "nobody knows" not in subject.sql("select kind from animal where id in (12, 20)")

    # remembered, it holds wherever the backup is compared, and can be forgotten
    def told() -> set[str]:
        register.refresh_from_db()
        seen = take(register, Record.Kind.LOOK)
        return {name for d in compared(backup, seen).differences for name in d.attributes}

    assert told() == {"weight"}
    place = list(subject.place("animal", 12))
    beside = {"backup": backup.pk, "paths": [place], "system": register.pk, "at": place[:-1]}
    copied = call(client, "post", "/api/v1/plans/elsewhere", beside).json()
    assert copied["steps"][0]["action"] == "create"
    assert "kind" in copied["steps"][0]["changed"]
    operator = signed_in(Role.OPERATOR)
    names = f"/api/v1/systems/{register.pk}/names"
    assert call(operator, "put", names, {"names": []}).json() == {"names": []}
    assert told() == {"weight", "species", "kind"}


def test_what_is_there_stays_for_one_pick_and_not_for_another(
    register: System, subject: RegisterSubject
) -> None:
    backup = take(register, Record.Kind.BACKUP)
    subject.sql(
        "update animal set species = 'x' where id in (12, 20); delete from treatment where id = 2"
    )
    look = take(register, Record.Kind.LOOK)
    client = signed_in(Role.OPERATOR)
    paths = [list(subject.place("animal", n)) for n in (12, 20)]
    picks = [
        {"path": paths[0], "scope": "object", "policy": "keep"},
        {"path": paths[1], "scope": "object"},
    ]
    asked = {"backup": backup.pk, "look": look.pk, "picks": picks}
    plan = call(client, "post", "/api/v1/plans", asked).json()
    assert [step["path"] for step in plan["steps"]] == [paths[1]]
    assert [f["path"] for f in plan["findings"] if f["code"] == "kept"] == [paths[0]]
    odd = [{**picks[0], "policy": "guess"}]
    assert call(client, "post", "/api/v1/plans", {**asked, "picks": odd}).status_code == 400
