"""Register: animals, tanks, diets and treatments, their last weeks, and what went wrong today."""

import random
from collections.abc import Iterator

_TANKS = [
    ("Kelp Forest", 820_000, "salt"), ("Lagoon", 1_400_000, "salt"), ("Reef Wall", 260_000, "salt"),
    ("Otter Creek", 90_000, "fresh"), ("Mangrove", 140_000, "brackish"),
    ("Cold Shelf", 75_000, "salt"), ("Quarantine 1", 12_000, "salt"),
    ("Quarantine 2", 9_000, "salt"), ("Turtle Ward", 60_000, "salt"), ("Nursery", 6_500, "salt"),
    ("Touch Pool", 4_200, "salt"), ("Amazon Hall", 210_000, "fresh"),
]  # fmt: skip
_DIETS = [
    ("Herring", 900, "Thawed overnight at 4 °C.\nNever refrozen."), ("Capelin", 700, None),
    ("Squid and krill", 300, None), ("Leafy greens", 250, "Washed twice."),
    ("Pellets, fine", 40, None), ("Pellets, coarse", 80, None), ("Shrimp", 120, None),
    ("Mussels", 350, "In the shell on Fridays."),
]  # fmt: skip
_SPECIES = [
    ("harbour seal", 40, "Herring", 62.0, (2, 2, 10, 7)), ("green turtle", 14, "Leafy greens", 88.0, (9,)),
    ("leopard shark", 9, "Mussels", 11.5, (1, 3)), ("wolf eel", 6, "Squid and krill", 9.2, (6,)),
    ("river otter", 7, "Shrimp", 8.1, (4,)), ("archerfish", 30, "Pellets, fine", 0.2, (5,)),
    ("moray", 8, "Squid and krill", 4.4, (3,)), ("seahorse", 48, "Pellets, fine", 0.02, (3, 10, 8)),
    ("cichlid", 58, "Pellets, coarse", 0.3, (12,)), ("ray", 20, "Mussels", 6.8, (1, 2, 11)),
]  # fmt: skip
_NAMES = [
    "Pip",
    "Luna",
    "Otto",
    "Bramble",
    "Skerry",
    "Fjord",
    "Tansy",
    "Moss",
    "Pebble",
    "Comet",
    "Dulse",
    "Ripple",
    "Bodkin",
    "Wren",
    "Sorrel",
    "Tiller",
    "Anchor",
    "Beacon",
    "Clove",
    "Drift",
    "Ember",
    "Flint",
    "Gale",
    "Hazel",
    "Inlet",
    "Juniper",
    "Kestrel",
    "Lark",
    "Marl",
    "Nettle",
]
_WHAT = ["deworming", "eye drops", "weighing under sedation", "wound dressed", "vitamin B1"]

_TABLES = """
create type water as enum ('salt', 'fresh', 'brackish');
create table tank (
  id serial primary key, name text not null unique, litres integer not null check (litres > 0),
  water water not null, closed boolean not null default false);
create table diet (
  id serial primary key, name text not null unique, grams_a_day integer not null, note text);
create table animal (
  id serial primary key, name text not null, species text not null,
  tank_id integer not null references tank on delete cascade,
  diet_id integer not null references diet, mother_id integer references animal on delete set null,
  arrived date not null, weight numeric(7,2), tags text[] not null default '{}',
  chip varchar(15) unique, care jsonb,
  shown_as text generated always as (name || ' (' || species || ')') stored);
create table treatment (
  id integer generated always as identity primary key,
  animal_id integer not null references animal on delete cascade, given_on date not null,
  what text not null, dose numeric(6,2), unit text, note text);
create table feeding (
  animal_id integer references animal on delete cascade, slot smallint,
  grams integer not null, primary key (animal_id, slot));
create table measurement (
  id bigserial primary key, tank_id integer not null references tank on delete cascade,
  taken_at timestamptz not null, celsius numeric(4,1) not null, ph numeric(3,2) not null);
create table visitor_count (day date not null, gate text not null, visitors integer not null);
create table change_log (
  id bigserial primary key, at timestamptz not null default now(), what text not null);
create function log_change() returns trigger language plpgsql as $$ begin
  insert into public.change_log (what) values (tg_op || ' ' || tg_table_name || ' ' || new.id);
  return new; end $$;
create trigger animal_is_logged after update on animal for each row execute function log_change();
create index on measurement (tank_id);
"""


def register(measurements: int) -> str:
    """Return SQL of the register as it was five weeks ago."""
    drawn = random.Random(20)
    parts = [_TABLES]
    for name, litres, water in _TANKS:
        parts.append(
            f"insert into tank (name, litres, water) values ('{name}', {litres}, '{water}');"
        )
    for diet, grams, note in _DIETS:
        told = "null" if note is None else f"'{note}'"
        parts.append(
            f"insert into diet (name, grams_a_day, note) values ('{diet}', {grams}, {told});"
        )
    parts += _animals(drawn)
    parts.append(
        "insert into measurement (tank_id, taken_at, celsius, ph) select 1 + n % 12, "
        "timestamptz '2026-01-01 00:00+00' + n * interval '3 minutes', "
        "11 + (n * 7 % 60) / 10.0, 7.9 + (n * 3 % 40) / 100.0 "
        f"from generate_series(1, {measurements}) n;"
    )
    parts.append(
        "insert into visitor_count select date '2026-09-01' + n / 2, "
        "case n % 2 when 0 then 'north' else 'harbour' end, 400 + n * 37 % 900 "
        "from generate_series(0, 99) n;"
    )
    return "\n".join(parts)


def _animals(drawn: random.Random) -> Iterator[str]:
    number = treatments = 0
    for species, count, diet, weight, tanks in _SPECIES:
        diet_id = next(at for at, one in enumerate(_DIETS, 1) if one[0] == diet)
        for place in range(count):
            number += 1
            name = _NAMES[number % len(_NAMES)]
            if number > len(_NAMES):
                name += f" {number // len(_NAMES) + 1}"
            tank = tanks[place % len(tanks)]
            heavy = round(weight * drawn.uniform(0.8, 1.2), 2)
            mother = number - place if place > 3 and drawn.random() < 0.3 else "null"
            tags = "{rescued}" if drawn.random() < 0.2 else "{}"
            care = f'{{"isolation": false, "keeper": "{drawn.choice(["vets", "divers"])}"}}'
            yield (
                "insert into animal (name, species, tank_id, diet_id, mother_id, arrived, weight, "
                f"tags, chip, care) values ('{name}', '{species}', {tank}, {diet_id}, {mother}, "
                f"date '2019-03-01' + {drawn.randrange(2400)}, {heavy}, '{tags}', "
                f"'578{number:09d}', '{care}');"
            )
            for slot in range(1, 3):
                yield f"insert into feeding values ({number}, {slot}, {drawn.randrange(10, 900)});"
            for _ in range(drawn.randrange(3)):
                treatments += 1
                yield (
                    "insert into treatment (animal_id, given_on, what, dose, unit) values "
                    f"({number}, date '2026-06-01' + {treatments % 150}, "
                    f"'{drawn.choice(_WHAT)}', {drawn.randrange(1, 90) / 4}, 'ml');"
                )


def history() -> list[tuple[float, str, str, bool]]:
    """Return the backups of the last weeks: days ago, note, SQL before it, pinned."""
    return [
        (32, "first backup", "", False),
        (19, "", "update diet set grams_a_day = 950 where name = 'Herring'", False),
        (11, "before the new otters", "update tank set litres = 95000 where id = 4", True),
        (
            0.4,
            "nightly",
            "insert into treatment (animal_id, given_on, what, dose, unit) "
            "values (3, '2026-11-20', 'eye drops', 0.5, 'ml')",
            False,
        ),
    ]


def trouble() -> str:
    """Return what went wrong after the last backup: a bulk edit, and a tank with all in it."""
    return (
        "update animal set diet_id = 2 where species = 'harbour seal';"
        "delete from tank where name = 'Turtle Ward';"
        "update tank set water = 'fresh' where name = 'Cold Shelf';"
    )
