"""The connector for tables on a real PostgreSQL, judged by psql."""

import itertools
from collections.abc import Iterator
from urllib.parse import unquote, urlsplit

import pytest

from demo import register
from keepsort.connectors import errors
from keepsort.connectors.base import Connector, Endpoint
from keepsort.connectors.tables import TABLES, names
from keepsort.core.compare import compare
from keepsort.core.model import Path
from keepsort.core.plan import (
    PLAIN,
    AttributePick,
    Composer,
    Naming,
    Pick,
    is_implied,
    offers,
    plan_restore,
    transplant,
)
from tests.connectors.contract import EVERYTHING, Contract, Desk, Keeper, apply, not_allowed
from tests.servers import postgres

_numbers = itertools.count()
LEFT = {"leave": "change_log,measurement"}


class RegisterSubject:
    """The register of the aquarium."""

    composer: Composer = PLAIN
    states = {"changed", "missing", "extra", "moved"}

    def __init__(self, database: str, **options: str) -> None:
        self.database = database
        self.options = LEFT | options
        self.keeper = Keeper()
        self.account: tuple[str, str] | None = None

    def open(self, **options: str) -> Connector:
        parts = urlsplit(postgres.admin_url(self.database))
        user, password = self.account or (parts.username or "", unquote(parts.password or ""))
        return TABLES.open(
            Endpoint(
                address=f"postgresql://127.0.0.1:{postgres.port}/{self.database}",
                options=self.options | options, user=user, password=password,
            ),
            self.keeper,
        )  # fmt: skip

    def sql(self, text: str) -> str:
        return postgres.run(text, self.database)

    def harm(self) -> None:
        self.sql(register.trouble())
        self.sql(
            "update animal set tank_id = 1 where id = 12;"  # it is elsewhere
            "update animal set name = 'Nemo', weight = null, tags = '{a,\"b c\"}' where id = 20;"
            "update animal set care = '{\"isolation\": true}', chip = E'x\\\\y' where id = 21;"
            "update diet set note = E'two\\nlines' where name = 'Capelin';"
            "delete from treatment where id in (2, 5);"
            "update feeding set grams = grams + 1 where animal_id < 9;"
            "insert into tank (name, litres, water) values ('O''Hara''s \"pool\"', 10, 'salt');"
            "insert into animal (name, species, tank_id, diet_id, arrived) "
            "values ('New · 1', 'ray', 13, 1, '2026-11-01'), (E'odd\\nname', 'ray', 1, 1, now());"
        )

    def meddle(self, path: Path) -> None:
        columns = {"tank": "closed = not closed", "diet": "grams_a_day = 1",
                   "animal": "species = 'somebody'", "feeding": "grams = 0",
                   "treatment": "what = 'somebody'"}  # fmt: skip
        table = path[-2]
        found = names.read(path[-1], 2 if table == "feeding" else 1)
        assert found is not None
        key = ["animal_id", "slot"] if table == "feeding" else ["id"]
        where = " and ".join(f"{c} = {v}" for c, v in zip(key, found[1], strict=True))
        self.sql(f"update {table} set {columns[table]} where {where}")

    def hide(self) -> tuple[Connector, Path] | None:
        self.reader("select on tank, diet, feeding, visitor_count")
        return self.open(), self.place("animal", 12)

    def reader(self, rights: str) -> None:
        """Let the connector come as somebody who has only these rights."""
        name = f"reader_{next(_numbers)}"
        granted = f"grant {rights} to {name};" if rights else ""
        self.sql(f"create role {name} login password 'otters'; {granted}")
        self.account = (name, "otters")

    def place(self, table: str, number: int) -> Path:
        """Return where a row stands."""
        connector = self.open() if self.account is None else RegisterSubject(self.database).open()
        for path, one in connector.observe():
            if one.identity == f"{table} {number}":
                return path
        raise LookupError(table, number)


@pytest.fixture(scope="module")
def template() -> str:
    name = f"register_{next(_numbers)}"
    postgres.create_database(name)
    postgres.run(register.register(measurements=300), name)
    return name


@pytest.fixture
def subject(template: str) -> Iterator[RegisterSubject]:
    name = f"register_{next(_numbers)}"
    postgres.run_alone(f'create database "{name}" template "{template}"')
    yield RegisterSubject(name)
    postgres.run_alone(f'drop database "{name}" with (force)')


class TestTables(Contract):
    pass


def dump(subject: RegisterSubject) -> str:
    tables = ("tank", "diet", "animal", "treatment", "feeding", "visitor_count")
    return subject.sql("".join(f"select '{t}', x from {t} x order by x::text;" for t in tables))


def test_psql_sees_what_was_put_back(subject: RegisterSubject) -> None:
    before = dump(subject)
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    assert dump(subject) != before
    plan = desk.plan(compare(backup, desk.look()), EVERYTHING)
    desk.carry_out(plan.steps)
    assert dump(subject) == before


def test_the_plan_as_sql_does_the_same_in_psql(subject: RegisterSubject) -> None:
    before = dump(subject)
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    plan = desk.plan(compare(backup, desk.look()), EVERYTHING)
    subject.sql("\n".join(desk.connector.render(step) for step in plan.steps))
    assert dump(subject) == before
    number = subject.sql(
        "insert into animal (name, species, tank_id, diet_id, arrived) "
        "values ('Next', 'ray', 1, 1, now()) returning id"
    )
    highest = subject.sql("select max(id) from animal")
    assert number == highest


def test_one_diet_over_many_animals_goes_back_and_nothing_else(subject: RegisterSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.sql(register.trouble() + "update animal set weight = 1 where species = 'harbour seal'")
    comparison = compare(backup, desk.look())
    seals = [d.path for d in comparison.differences if d.state == "changed" and "animal" in d.path]
    assert len(seals) == 40
    picks = [Pick(path, "attributes", (AttributePick("diet_id"),)) for path in seals]
    plan = desk.plan(comparison, picks)
    assert len(plan.steps) == 40
    text = desk.connector.render(plan.steps[0])
    assert 'set "diet_id" = 1' in text
    assert "weight" in text.split("where")[1], "guarded by all that the row held"
    desk.carry_out(plan.steps)
    told = "select count(*), min(diet_id), max(weight) from animal where species = 'harbour seal'"
    assert subject.sql(told).strip() == "40|1|1.00"


def test_a_record_brings_what_it_hangs_on_and_what_it_names(subject: RegisterSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    number = int(subject.sql("select min(animal_id) from treatment where animal_id > 40"))
    treatment = int(subject.sql(f"select min(id) from treatment where animal_id = {number}"))
    path = subject.place("treatment", treatment)
    assert [path[at] for at in (0, 2, 4)] == ["tank", "animal", "treatment"]
    subject.sql(
        f"delete from tank where id = (select tank_id from animal where id = {number});"
        "delete from animal where diet_id = 2; delete from diet where id = 2"
    )
    plan = desk.plan(compare(backup, desk.look()), [Pick(path)])
    made = [step.path[-2] for step in plan.steps if len(step.path) % 2 == 0]
    assert made[-3:] == ["tank", "animal", "treatment"] or set(made) >= {"tank", "animal"}
    desk.carry_out(plan.steps)
    assert subject.sql(f"select count(*) from treatment where id = {treatment}").strip() == "1"


def test_a_row_whose_key_was_given_away_is_told_and_comes_beside(
    subject: RegisterSubject,
) -> None:
    desk = Desk(subject)
    backup = desk.look()
    was = subject.place("animal", 12)
    treatments = subject.sql("select count(*) from treatment where animal_id = 12")
    subject.sql(
        "insert into treatment (id, animal_id, given_on, what) overriding system value values "
        "(900, 12, '2026-11-01', 'first'), (901, 12, '2026-11-02', 'second')"
    )
    backup = desk.look()
    subject.sql(
        "delete from animal where id = 12;"
        "insert into animal (id, name, species, tank_id, diet_id, arrived) overriding system value "
        "values (12, 'Squib', 'squid', 2, 3, '2026-11-20');"
        "insert into treatment (id, animal_id, given_on, what) overriding system value "
        "values (901, 12, '2026-11-21', 'x')"
    )
    live = desk.look()
    comparison = compare(backup, live)
    hanging = next(
        d.path for d in comparison.differences if d.path[-1] == "900" and d.state == "missing"
    )
    for pick in (Pick(was), Pick(was, "attributes", (AttributePick("species"),)), Pick(hanging)):
        found = plan_restore(comparison, [pick]).findings
        assert [f.path for f in found if f.code == "id-reused"] == [was], found
    assert not any(
        f.code == "id-reused"
        for f in plan_restore(comparison, [Pick(subject.place("tank", 1))]).findings
    )
    # the way out: both of them, and what hung on it hangs on it
    assert isinstance(desk.connector, Naming)
    made = transplant(backup, [was], live, was[:-1], naming=desk.connector)
    plan = desk.plan(compare(made.left, live), made.picks)
    assert {step.action for step in plan.steps} == {"create"}
    desk.carry_out(plan.steps)
    assert subject.sql("select name from animal where id = 12").strip() == "Squib"
    name = names.read(was[-1], 1)
    assert name is not None
    new = subject.sql(f"select max(id) from animal where name = '{name[0]}'").strip()
    assert int(new) == int(subject.sql("select max(id) from animal"))
    mine = subject.sql(f"select what from treatment where animal_id = {new} order by id")
    assert mine.splitlines()[-2:] == ["first", "second"]
    assert len(mine.splitlines()) == int(treatments) + 2
    assert subject.sql("select what from treatment where id = 901").strip() == "x"


def test_who_lost_a_reference_to_what_comes_back_is_offered(subject: RegisterSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    [mother, count] = (
        subject.sql(
            "select mother_id, count(*) from animal where mother_id is not null "
            "group by mother_id order by count(*) desc, mother_id limit 1"
        )
        .strip()
        .split("|")
    )
    place = subject.place("animal", int(mother))
    subject.sql(f"delete from animal where id = {mother}")
    comparison = compare(backup, desk.look())
    plan = desk.plan(comparison, [Pick(place)])
    found = [one for one in offers(comparison, plan) if one.attribute == "mother_id"]
    assert len(found) == int(count)
    assert {one.target for one in found} == {place}


def test_a_branch_is_read_as_the_whole_has_it(subject: RegisterSubject) -> None:
    connector = subject.open()
    whole = dict(connector.observe())
    tank = ("tank", "Lagoon · 2")
    for branch in [tank, (*tank, "animal"), ("diet",), subject.place("animal", 12)]:
        part = dict(connector.observe(branch))
        assert next(iter(part)) == branch
        assert part == {p: one for p, one in whole.items() if p[: len(branch)] == branch}
    with pytest.raises(errors.NoSuchBranch):
        list(connector.observe(("tank", "Nowhere · 99")))
    odd, folder = connector.look([("tank", "x · y"), ("tank",)])
    assert odd.found is None
    assert folder.found is not None


def test_what_the_database_would_do_by_itself_is_told(subject: RegisterSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.sql("update animal set species = 'seal' where id = 3")
    changed = compare(backup, desk.look())
    plan = desk.plan(changed, [Pick(subject.place("animal", 3))])
    found = {f.code: f for f in desk.connector.check(plan.steps, backup)}
    assert found["trigger"].level == "confirm"
    assert "animal_is_logged" in found["trigger"].text
    before = subject.sql("select count(*) from change_log")
    resting = subject.open(triggers="off")
    [rests] = resting.check(plan.steps, backup)
    assert rests.effect is not None
    assert rests.effect.does == "rests"
    desk.carry_out(plan.steps, resting)
    assert subject.sql("select count(*) from change_log") == before
    assert (
        subject.sql("select tgenabled from pg_trigger where tgname = 'animal_is_logged'") == "O\n"
    )


def test_what_would_fail_is_found_before(subject: RegisterSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.sql(
        "update animal set chip = null where id = 3;"
        "update animal set chip = '578000000003' where id = 4"
    )
    comparison = compare(backup, desk.look())
    plan = desk.plan(comparison, [Pick(subject.place("animal", 3))])
    found = subject.open(**{"try": "yes"}).check(plan.steps, backup)
    [stop] = [f for f in found if f.level == "stop"]
    assert "duplicate key" in stop.text
    assert stop.path == subject.place("animal", 3)
    before = dump(subject)
    with pytest.raises(errors.Refused, match="duplicate key"):
        desk.carry_out(plan.steps)
    assert dump(subject) == before
    both = desk.plan(comparison, EVERYTHING)
    assert dump(subject) == before
    assert len(both.steps) == 2


def test_what_hangs_on_a_row_that_goes_is_never_lost_unseen(subject: RegisterSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.sql("insert into tank (name, litres, water) values ('Extra', 5, 'salt')")
    comparison = compare(backup, desk.look())
    plan = desk.plan(comparison, [Pick(("tank", "Extra · 13"), "remove")])
    subject.sql("insert into measurement (tank_id, taken_at, celsius, ph) values (13, now(), 4, 8)")
    # measurements were left out, so that the plan knows nothing of them
    for leave in ("change_log", "change_log,measurement"):
        seen = subject.open(leave=leave).check(plan.steps, backup)
        [stop] = [f for f in seen if f.level == "stop"]
        assert stop.code == "cascades"
        assert "measurement" in stop.text
    subject.reader("select, delete on tank, animal, treatment, feeding, diet")
    blind = [f for f in subject.open().check(plan.steps, backup) if f.level == "stop"]
    assert "may not read" in " ".join(f.text for f in blind)


def test_rights_are_looked_at_before(subject: RegisterSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    subject.sql("update tank set litres = litres + 1 where id = 2")
    comparison = compare(backup, desk.look())
    subject.reader("select on all tables in schema public")
    subject.sql(f"grant update (litres) on tank to {subject.account[0]}")  # type: ignore[index]
    lesser = subject.open()
    steps = plan_restore(comparison, list(EVERYTHING)).steps
    assert not [f for f in lesser.check(steps, backup) if f.level == "stop"]
    denied = {path for path, _ in not_allowed(lesser, steps)}
    schema = lesser.describe().schema
    for step in (s for s in steps if not s.needs and not is_implied(schema, s)):
        if step.final_path not in denied:
            assert step.path == subject.place("tank", 2)
            apply(lesser, step)
        else:
            with pytest.raises((errors.Refused, errors.NotAllowed), match="lacks a right"):
                apply(lesser, step)
    told = " ".join(lesser.rights())  # type: ignore[attr-defined]
    assert "may not insert" in told
    # another tank is another place of the row, and a column nevertheless
    animal = subject.place("animal", 12)
    moved = [s for s in steps if s.action == "move" and s.path == animal]
    assert moved
    columns = {attribute for _, attribute in not_allowed(lesser, moved)}
    assert "tank_id" in columns
    assert "name" not in columns


def test_rows_that_security_hides_are_not_taken_for_gone(subject: RegisterSubject) -> None:
    desk = Desk(subject)
    full = desk.look()
    subject.sql(
        "alter table animal enable row level security;create policy few on animal using (id < 10)"
    )
    subject.reader("select on all tables in schema public")
    part = desk.look(subject.open())
    states = {d.state for d in compare(full, part).differences}
    assert "missing" not in states
    assert states <= {"unreadable", "changed"}


def test_a_column_with_a_new_name_is_the_same_column(subject: RegisterSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.sql("alter table animal rename species to kind")
    desk.connector = subject.open(formerly="animal.kind=species")
    assert not compare(backup, desk.look()).differences
