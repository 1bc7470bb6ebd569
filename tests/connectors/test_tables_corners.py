"""Corners of the connector for tables: names, odd types and addresses, keys of several columns."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keepsort.connectors import errors
from keepsort.connectors.base import Endpoint
from keepsort.connectors.tables import TABLES, names
from keepsort.core.compare import compare
from keepsort.core.compare.values import equal_values
from keepsort.core.model import Path
from keepsort.core.plan import Pick, Step
from tests.connectors.contract import EVERYTHING, Desk, Keeper, content
from tests.connectors.test_tables import RegisterSubject, subject, template
from tests.servers import postgres

__all__ = ["subject", "template"]

LINKS = """
create table room (floor int, number int, code text unique not null, primary key (number, floor));
create table door (id int primary key, of_number int not null, of_floor int not null, label text,
  foreign key (of_floor, of_number) references room (floor, number) on delete cascade);
create table lamp (id int primary key, room_code text references room (code)
  on delete set null on update cascade);
create table note (id int primary key, room_code text references room (code) on delete cascade);
insert into room values (1, 20, 'a'), (2, 10, 'b');
insert into door values (1, 20, 1, 'x'), (2, 10, 2, 'y');
"""


def test_keys_of_several_columns_and_names_by_others_than_the_key(
    subject: RegisterSubject,
) -> None:
    subject.sql(LINKS)
    desk = Desk(subject)
    backup = desk.look()
    assert ("room", "20,1", "door", "x · 1") in [node.path for node in backup.walk()]
    room = ("room", "20,1")
    subject.sql("insert into room values (9, 9, 'z')")
    extra = desk.plan(compare(backup, desk.look()), [Pick(("room", "9,9"), "remove")])
    renamed = desk.look()
    subject.sql("update room set code = 'other' where code = 'a'")
    named = desk.plan(compare(renamed, desk.look()), [Pick(room)])
    assert not [f for f in desk.connector.check(named.steps, renamed) if f.code == "cascades"]
    for table, level in (("lamp", "stop"), ("note", "stop")):
        subject.sql(f"insert into {table} values (1, 'z')")
        [found] = [f for f in desk.connector.check(extra.steps, backup) if f.level == level]
        assert found.code == "cascades"
        assert table in found.text
        subject.sql(f"delete from {table}")
    subject.sql("insert into lamp values (1, 'other')")
    [told] = [f for f in desk.connector.check(named.steps, renamed) if f.code == "cascades"]
    assert told.level == "confirm"
    assert "room_code" in told.text
    subject.sql("insert into note values (1, 'other')")
    stops = [f for f in desk.connector.check(named.steps, renamed) if f.level == "stop"]
    assert [f.code for f in stops] == ["still-named"]
    subject.sql("delete from note; delete from lamp; delete from room where number = 20")
    plan = desk.plan(compare(backup, desk.look()), [Pick(("room", "20,1", "door", "x · 1"))])
    desk.carry_out(plan.steps)
    assert subject.sql("select of_number, of_floor from door where id = 1").strip() == "20|1"


name = st.text(st.characters(codec="utf-8", exclude_characters="\0"), max_size=12)
key = st.lists(st.text(st.sampled_from("ab·, \\-1"), max_size=4), min_size=1, max_size=3)


@given(st.none() | name, key.map(tuple), st.none() | name, key.map(tuple))
def test_what_a_row_is_called_means_one_row(
    first: str | None, one: names.Key, second: str | None, two: names.Key
) -> None:
    text = names.called(first, one)
    assert text
    own = first if first is not None and names.is_name(first) else None
    assert names.read(text, len(one)) == (own, one)
    if len(one) == len(two) and one != two:
        assert names.called(second, two) != text


def test_what_cannot_be_a_row_is_told_and_not_tried(subject: RegisterSubject) -> None:
    connector = subject.open(**{"try": "yes"})
    origin = Desk(subject).look()
    lagoon = ("tank", "Lagoon · 2")
    odd: list[tuple[Path, dict[str, object]]] = [
        (("tank", "x · y"), {"id": "y", "litres": 1, "water": "salt"}),
        ((*lagoon, "animal", "Pip · 1,2"), {"id": 1}),
        ((*lagoon, "diet", "Pip · 900"), {"id": 900, "grams_a_day": 1}),
        (("tank", "Lagoon · two", "animal", "Pip · 900"), {"id": 900}),
        ((*lagoon, "animal", "Pip · 901"), {"id": 901, "diet_id": "/diet/none · x"}),
        ((*lagoon, "animal", "Pip · 902"), {"id": 902, "diet_id": [1], "arrived": {"a": 1}}),
        ((*lagoon, "animal", "Pip · 903"), {"id": 903, "diet_id": "/diet/gone · 77"}),
        (("nothing", "1"), {"id": 1}),
    ]
    for path, attributes in odd:
        kind = path[-2]
        step = Step(number=1, action="create", path=path, kind=kind, after=attributes)
        found = connector.check([step], origin)
        assert "stop" in {one.level for one in found}, path
        assert connector.render(step)
        assert connector.look([path])[0].found is None


def test_odd_addresses_and_accounts_are_refused_in_plain_words(subject: RegisterSubject) -> None:
    where = f"127.0.0.1:{postgres.port}"
    for address, user, error in [
        ("mysql://x/y", "", errors.Misconfigured),
        (f"postgresql://a:b@{where}/register", "", errors.Misconfigured),
        (f"postgresql://{where}/nowhere", "postgres", errors.ConnectorError),
        (f"postgresql://{where}/{subject.database}", "nobody", errors.SignInRefused),
        ("postgresql://127.0.0.1:9/x", "", errors.Unreachable),
    ]:
        with pytest.raises(error):
            TABLES.open(Endpoint(address=address, user=user, password="x"), Keeper())


ODD = r"""
create table odd (
  a int, b numeric, c timestamptz, d interval, e bytea, f json, g jsonb, h float8[], i text[],
  j bool[], k uuid, l point, m char(5), n xml, o inet, p int4range, q float4, r bigint[], s date,
  primary key (a, k));
insert into odd values (
  -1, 1.500, '2026-03-29 02:30+02', '1 day 2:03', '\x00ff', '{"b": 1,  "a": 2}',
  '{"b": 1,  "a": 2}', '{1.5,NaN,null}', array['a,b', null, 'q"u\', 'NULL', ''], '{t,f}',
  '00000000-0000-0000-0000-000000000001', '(1,2)', 'ab', '<a>1</a>', '192.0.2.1', '[1,5)', 0.1,
  '{{1,2},{3,4}}', 'infinity');
insert into odd (a, k) values (2, '00000000-0000-0000-0000-000000000002');
"""


def test_everything_reads_back_as_it_was(subject: RegisterSubject) -> None:
    subject.sql(ODD)
    desk = Desk(subject)
    backup = desk.look()
    told = "select odd from odd order by a"
    before = subject.sql(told)
    subject.sql("delete from odd")
    plan = desk.plan(compare(backup, desk.look()), EVERYTHING)
    desk.carry_out(plan.steps)
    assert subject.sql(told) == before
    subject.sql("update odd set f = '{}', l = null, n = null, h = '{}', q = 2, m = 'x' where a < 0")
    assert content(desk.look()) != content(backup)
    desk.carry_out(desk.plan(compare(backup, desk.look()), EVERYTHING).steps)
    assert subject.sql(told) == before


def test_triggers_fire_as_often_as_was_foretold(subject: RegisterSubject) -> None:
    desk = Desk(subject)
    backup = desk.look()
    subject.harm()
    plan = desk.plan(compare(backup, desk.look()), EVERYTHING)
    found = desk.connector.check(plan.steps, backup)
    effects = [f.effect for f in found if f.effect is not None]
    fires = [effect for effect in effects if effect.does == "fires"]
    assert fires
    assert [effect.when for effect in effects if effect.does == "locks"] == ["during"]
    before = int(subject.sql("select count(*) from change_log"))
    desk.carry_out(plan.steps)
    logged = int(subject.sql("select count(*) from change_log")) - before
    assert logged == sum(len(effect.steps) for effect in fires)


@pytest.mark.parametrize(
    ("column", "texts"),
    [
        ("b", ["1.500", "1.5", "15e-1", "1.51", "-0.0", "0"]),
        ("c", ["2026-03-29 02:30+02", "2026-03-29 00:30:00.0Z", "2026-03-29 02:30+01"]),
    ],
)
def test_values_are_equal_where_the_database_says_so(
    subject: RegisterSubject, column: str, texts: list[str]
) -> None:
    subject.sql(ODD)
    spec = subject.open().describe().schema.spec("odd", column)
    written = {"b": "numeric", "c": "timestamptz"}[column]
    for one in texts:
        for two in texts:
            said = subject.sql(f"select '{one}'::{written} = '{two}'::{written}").strip()
            assert equal_values(spec, one, two) is (said == "t"), (one, two)
