"""Texts that stand for numbers and moments: the same where Python's own numbers and times are."""

from datetime import UTC, datetime, timedelta, timezone
from decimal import Context, Decimal

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keepsort.core.compare import compare_attributes
from keepsort.core.compare.values import equal_values
from keepsort.core.model import AttributeSpec, Schema
from keepsort.core.model.meanings import decimal, moment

EXACT = Context(prec=2000)
digits = st.text("0123456789", max_size=30)
numbers = st.builds(
    lambda sign, whole, part, power: f"{sign}{whole}{part}{power}",
    st.sampled_from(["", "-", "+"]), digits.filter(bool),
    st.one_of(st.just(""), digits.map(lambda d: f".{d}")),
    st.one_of(st.just(""), st.integers(-40, 40).map(lambda n: f"e{n}")),
)  # fmt: skip


@given(numbers, numbers)
def test_decimals_are_the_same_where_the_numbers_are(one: str, two: str) -> None:
    assert (decimal(one) == decimal(two)) == (EXACT.compare(Decimal(one), Decimal(two)) == 0)
    again = f"{Decimal(one):f}" if abs(Decimal(one).adjusted()) < 80 else one
    for written in (again, f"{again}{'' if '.' in again else '.'}000", f"{one.upper()}"):
        assert decimal(written) == decimal(one)


offsets = st.integers(-14 * 60, 14 * 60).map(lambda m: timezone(timedelta(minutes=m)))
times = st.datetimes(min_value=datetime(2, 1, 1), max_value=datetime(9998, 1, 1), timezones=offsets)


def written(at: datetime) -> list[str]:
    part = f"{at:%f}".rstrip("0")
    day, clock = f"{at:%d}", f"{at:%H}:{at:%M}:{at:%S}"
    year = f"{at.year:04}"
    off = f"{at:%z}"
    dashed = f"{year}-{at:%m}-{day}"
    more = f".{part}" if part else ""
    return [
        at.isoformat(),
        f"{dashed} {clock}{more}{off[:3]}:{off[3:]}",
        f"{year}{at:%m}{day}{at:%H}{at:%M}{at:%S}{more}{off}",
        f"{at.astimezone(UTC).isoformat().replace('+00:00', '')}Z",
    ]


@given(times, times)
def test_moments_are_the_same_where_the_times_are(one: datetime, two: datetime) -> None:
    forms = {moment(text) for text in written(one)}
    assert len(forms) == 1
    assert (forms == {moment(text) for text in written(two)}) == (one == two)
    assert moment(next(iter(forms))) in forms


@pytest.mark.parametrize(
    ("one", "two", "same"),
    [
        ("2026112710Z", "20261127100000Z", True),
        ("2026112710.5Z", "202611271030Z", True),
        ("202611271030.25Z", "20261127103015Z", True),
        ("20261127103000.50Z", "20261127103000.5Z", True),
        ("2026-11-27 10:30:00+01", "2026-11-27T09:30:00Z", True),
        ("2026-11-27 10:30:00", "2026-11-27T10:30:00Z", False),  # nobody knows which moment it is
        ("2026-11-27 10:30", "2026-11-27 10:30:00", True),
        ("2026-13-27 10:30:00", "2026-13-27 10:30", False),  # no such day: only texts
        ("infinity", "-infinity", False),
    ],
)
def test_forms_of_the_standards(one: str, two: str, same: bool) -> None:
    assert (moment(one) == moment(two)) is same


@pytest.mark.parametrize("text", ["", ".", "-", "1e", "NaN", "0x1", "1,5", "٣", "1" * 2000, "e5"])
def test_what_is_no_number_is_only_itself(text: str) -> None:
    assert decimal(text) == text


def test_compare_goes_by_what_texts_mean() -> None:
    price, seen = AttributeSpec(matching="decimal"), AttributeSpec(shape="set", matching="time")
    schema = Schema(attributes={"price": price, "seen": seen})
    assert equal_values(price, "1.50", "1.5")
    assert not equal_values(price, "1.50", "1.51")
    assert equal_values(AttributeSpec(matching="fold"), "a", "A") is False, "people mind the case"
    assert not equal_values(AttributeSpec(matching="decimal", secret=True), "10", "1e1")
    one = {"price": "2.0", "seen": ["20260101000000Z", "20260102000000Z"]}
    two = {"price": "2", "seen": ["20260102000000.0Z", "20260103000000Z"]}
    told = {d.name: d for d in compare_attributes(schema, "", one, two)}
    assert told["price"].state == "same"
    assert told["seen"].only_left == ["20260101000000Z"]
    assert told["seen"].only_right == ["20260103000000Z"]
