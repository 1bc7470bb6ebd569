"""Backups as a practice from a terminal: what cron and a monitoring check would call."""

import json
from datetime import UTC, datetime, timedelta

import psycopg
import pytest

from demo.servers.slapd import Slapd
from tests.cli.test_cli import Command, command  # noqa: F401 - a fixture
from tests.conftest import dn


def database(command: Command) -> psycopg.Connection:  # noqa: F811
    return psycopg.connect(command.environment["KEEPSORT_DATABASE_URL"], autocommit=True)


def test_schedules_are_made_listed_and_carried_out_without_a_worker(
    command: Command,  # noqa: F811
    slapd: Slapd,
) -> None:
    command.add(slapd)
    made = command.json(
        "schedule",
        "add",
        "People",
        "--daily",
        "02:15",
        "--zone",
        "Europe/Oslo",
        "--note",
        "nightly",
    )
    assert made["when"] == "daily at 02:15 (Europe/Oslo)"
    times = [datetime.fromisoformat(at) for at in made["next"]]
    assert len(times) == 3
    assert times == sorted(times)
    assert times[0] > datetime.now(UTC)
    branch = command.json(
        "schedule",
        "add",
        "People",
        "--every",
        "10m",
        "--branch",
        "ou=groups,dc=kelpmoor,dc=example",
    )
    assert branch["branch"] == ["ou=groups"]
    assert command.json("schedule", "due") == {"backups": []}
    with database(command) as rows:
        rows.execute("update schedules_schedule set next_at = now() - interval '3 days'")
    done = command.json("schedule", "due")["backups"]
    assert [row["schedule"] for row in done] == [made["schedule"], branch["schedule"]]
    assert command.json("schedule", "due") == {"backups": []}, "three missed nights are one backup"
    kept = command.json("backups", "People")["backups"]
    assert [(row["branch"], row["note"]) for row in kept] == [(["ou=groups"], ""), ([], "nightly")]
    [again] = command.json("schedule", "run", str(branch["schedule"]))["backups"]
    assert again["backup"] > done[1]["backup"]
    command.json("schedule", "pause", str(made["schedule"]))
    listed = command.json("schedule", "list", "People")["schedules"]
    assert [(row["paused"], bool(row["next"])) for row in listed] == [(True, False), (False, True)]
    # what is overdue is an exit status of its own, and so is a backup that failed
    with database(command) as rows:
        rows.execute("update schedules_schedule set counts_from = now() - interval '9 hours'")
        rows.execute("update snapshots_record set taken_at = now() - interval '5 hours'")
    listed = command.json("schedule", "list", status=1)["schedules"]
    assert [row["schedule"] for row in listed if row["overdue_since"]] == [branch["schedule"]]
    slapd.stop()
    with database(command) as rows:
        rows.execute("update schedules_schedule set next_at = now() where not paused")
    [failed] = command.json("schedule", "due", status=1)["backups"]
    assert failed["backup"] is None
    assert "does not answer" in failed["failed"]
    command.json("schedule", "remove", str(branch["schedule"]))
    assert "There is no schedule" in command.fails("schedule", "run", str(branch["schedule"]))


@pytest.mark.parametrize(
    "arguments",
    [
        [], ["--daily", "02:15", "--every", "1h"], ["--daily", "26:00"], ["--every", "0m"],
        ["--cron", "* * * * * *"], ["--daily", "02:15", "--zone", "Reef/Deep"],
        ["--weekly", "someday 02:00"],
    ],
)  # fmt: skip
def test_times_that_are_none_are_refused(
    command: Command,  # noqa: F811
    slapd: Slapd,
    arguments: list[str],
) -> None:
    command.add(slapd)
    code, _, err = command.run("schedule", "add", "People", *arguments)
    assert code in (1, 2)
    assert "Traceback" not in err
    assert command.json("schedule", "list")["schedules"] == []


def test_retention_tells_before_it_does_and_delete_says_why_not(
    command: Command,  # noqa: F811
    slapd: Slapd,
) -> None:
    command.add(slapd)
    numbers = []
    for title in ("one", "two", "three", "four", "five"):
        slapd.change(
            f"dn: {dn('Ansel Brandvold')}\nchangetype: modify\nreplace: title\ntitle: {title}\n"
        )
        numbers.append(command.json("backup", "People", "--note", title)["backup"])
    command.json("pin", str(numbers[0]))
    assert command.json("baseline", "People", str(numbers[1]))["baseline"] == numbers[1]
    told = command.json("retention", "People", "--good", "1", "--dry-run")
    assert [row["backup"] for row in told["drops"]] == numbers[2:4]
    assert all(row["frees_bytes"] >= 0 for row in told["drops"])
    why = {row["backup"]: row["why"] for row in told["keeps"]}
    assert why[numbers[0]] == "pinned"
    assert why[numbers[1]] == "the baseline"
    assert told["dropped"] == []
    assert command.json("retention", "People")["policy"]["good"] is None, "nothing was kept of it"
    assert len(command.json("backups", "People")["backups"]) == 5
    done = command.json("retention", "People", "--good", "1", "--apply")
    assert sorted(done["dropped"]) == numbers[2:4]
    assert command.json("retention", "People")["policy"]["good"] == 1
    left = [row["backup"] for row in command.json("backups", "People")["backups"]]
    assert sorted(left) == [numbers[0], numbers[1], numbers[4]]
    assert "pinned" in command.fails("delete", str(numbers[0]))
    command.json("pin", str(numbers[0]), "--off")
    gone = command.json("delete", str(numbers[0]))
    assert gone["deleted"] == numbers[0]
    assert gone["freed_bytes"] >= 0
    assert "There is no backup" in command.fails("show", str(numbers[0]))
    hits = command.json("search", "one")["hits"]
    assert "one" not in json.dumps([hit.get("where", "") for hit in hits])


def test_damage_is_an_exit_status_and_mended_by_the_next_backup(
    command: Command,  # noqa: F811
    slapd: Slapd,
) -> None:
    command.add(slapd)
    number = command.json("backup", "People")["backup"]
    assert command.json("verify", str(number))["damaged"] == []
    with database(command) as rows:
        [root] = rows.execute("select significant from snapshots_record").fetchone() or [b""]
        rows.execute(
            "update store_chunk set data = set_byte(data, 10, get_byte(data, 10) # 3) "
            "where address = %s", [root],
        )  # fmt: skip
    found = command.json("verify", "--all", status=1)
    assert [row["backup"] for row in found["damaged"]] == [number]
    codes = {row["code"] for row in command.json("attention", "People", status=1)["attention"]}
    assert "damaged" in codes
    command.json("backup", "People")
    assert command.json("verify", "--all")["damaged"] == []


def test_what_was_put_aside_does_not_count(
    command: Command,  # noqa: F811
    slapd: Slapd,
) -> None:
    command.add(slapd)
    command.json("backup", "People")
    found = command.json("attention", "People", status=1)["attention"]
    with database(command) as rows:
        for item in found:
            rows.execute(
                "insert into attention_aside (system_id, code, stands, why, accepted, at) "
                "values (%s, %s, %s, 'known', false, %s)",
                [item["system"], item["code"], item["stands"], datetime.now(UTC)],
            )
    told = command.json("attention", "People")["attention"]
    assert {item["aside"]["why"] for item in told} == {"known"}
    with database(command) as rows:
        rows.execute("update attention_aside set until = %s", [datetime.now(UTC) - timedelta(1)])
    command.json("attention", "People", status=1)
