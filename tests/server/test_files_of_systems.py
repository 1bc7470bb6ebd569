"""Files of every system there is: out and in without a difference, and put back from as a backup is."""

import io

import pytest
from django.test import Client

from keepsort.core.plan import Pick
from keepsort.files.names import FORMATS
from keepsort.server.accounts.models import User
from keepsort.server.files.exporting import Wanted, export
from keepsort.server.files.opening import open_file
from keepsort.server.restores import engine
from keepsort.server.restores.previewing import open_plan, preview
from keepsort.server.snapshots.models import Record
from keepsort.server.snapshots.services import open_snapshot, take
from keepsort.server.sorting.comparing import compared
from tests.server.test_faults import Harmed, harmed

__all__ = ["harmed"]
pytestmark = pytest.mark.django_db(transaction=True)


def opened(backup: Record, form: str, passphrase: str | None = None) -> Record:
    out = io.BytesIO()
    export(backup, Wanted(), form, out, passphrase)
    out.seek(0)
    return open_file(out, f"all.{form}", passphrase=passphrase or "").record


def test_every_format_comes_back_without_a_difference(harmed: Harmed) -> None:
    backup = harmed.backup
    for form in FORMATS:
        if form == "ldif" and harmed.system.connector != "directory":
            continue
        file = opened(backup, form)
        found = compared(file, backup)
        assert not found.tally, (
            form,
            [(d.path, d.state, d.attributes) for d in found.differences[:3]],
        )
        assert not compared(backup, file).tally, form
    whole = compared(backup, harmed.system.records.get(pk=backup.pk))
    assert found.same <= whole.same


@pytest.mark.parametrize("form", ["archive", "text", "csv"])
def test_all_of_a_file_goes_back_as_all_of_a_backup_does(harmed: Harmed, form: str) -> None:
    sealed = "long enough" if form != "csv" else None
    file = opened(harmed.backup, form, sealed)
    look = take(harmed.system, Record.Kind.LOOK)
    plan = preview(file, [Pick((), "branch")], look=look)
    told = open_plan(plan)
    stops = [f for f in told.findings if f.level in ("stop", "ask")]
    if form == "csv" and stops:
        # what it could not carry, a secret say, is named and stops only what needs it
        assert all("secret" in f.text.lower() or "password" in f.text.lower() for f in stops), stops
        return
    assert not stops
    confirmed = [f.name for f in told.findings if f.level == "confirm"]
    run = engine.carry_out(engine.start(plan, confirmed, None).pk)
    assert run.outcome == "verified", run.message
    left = compared(harmed.backup, take(harmed.system, Record.Kind.LOOK))
    if form == "archive":
        assert left.tally.keys() <= {"extra"}, left.tally
        return
    # a table carries no ids, so an object that was made anew is another one; what is not mentioned
    # is never taken away
    assert left.tally.keys() <= {"extra", "recreated", "moved", "changed"}, left.tally
    for difference in left.differences:
        if difference.state == "changed":
            before = left.left.get(difference.path)
            assert before is not None
            assert not before.attributes.keys() & set(difference.attributes)


def test_a_file_of_one_sort_is_not_compared_with_another(harmed: Harmed) -> None:
    file = opened(harmed.backup, "text")
    client = Client()
    client.force_login(User.objects.create_user("odd", role="viewer"))
    other = "keystore" if harmed.system.connector != "keystore" else "directory"
    harmed.system.connector = other
    harmed.system.save()
    look = harmed.backup
    answer = client.get("/api/v1/compare", {"left": file.pk, "right": look.pk})
    assert answer.status_code == 400
    assert f"{harmed.system} is none" in answer.json()["error"]
    assert open_snapshot(file).root.total >= 2
