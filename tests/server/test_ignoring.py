"""Rules: what they would hide is known before they are used."""

import json
from typing import Any

import pytest
from django.test import Client
from hypothesis import given
from hypothesis import strategies as st

from keepsort.core.compare import Rules
from keepsort.core.compare.rules import pattern_of
from keepsort.core.model import is_beneath
from keepsort.server.accounts.models import User
from keepsort.server.snapshots.models import Record
from tests.server.records import a_system, keep
from tests.server.test_in_common import keepers

names = st.text("ab*?[]!/\\", min_size=1, max_size=4)
paths = st.lists(names, min_size=1, max_size=3).map(tuple)


@given(paths, paths)
def test_the_pattern_of_a_place_hides_it_and_what_is_beneath(
    place: tuple[str, ...], other: tuple[str, ...]
) -> None:
    rules = Rules(paths=(pattern_of(place),))
    for path in (place, (*place, *other), other):
        assert rules.hides_path(path) == is_beneath(path, place)


@pytest.mark.django_db
def test_what_rules_hide_is_what_was_said_before() -> None:
    system = a_system()
    backup = keep(system, keepers("lead", 1))
    look = keep(system, keepers("nobody", 2), kind=Record.Kind.LOOK)
    client = Client()
    client.force_login(User.objects.create_user("orla"))
    view = {"left": backup.pk, "right": look.pk}
    tried: list[dict[str, Any]] = [
        {"attributes": ["keeper:title"]},
        {"attributes": ["t*"]},
        {"attributes": ["notes"]},
        {"attributes": ["group:title"]},
        {"paths": [pattern_of(("vets",))]},
        {"paths": [pattern_of(("vets", "keeper-1"))]},
        {"letter_case": True},
    ]
    asked = client.get("/api/v1/compare/hidden", {**view, "each": json.dumps(tried)})
    hides = asked.json()["hides"]
    # of two of the six keepers with another title the notes differ as well: they stay in sight
    assert hides == [6, 6, 2, 0, 3, 1, 0]
    for rules, told in zip(tried, hides, strict=True):
        head = client.get("/api/v1/compare", {**view, "rules": json.dumps(rules)}).json()
        assert head["hidden"] == told
    for each in ("oops", "{}", "[1]", json.dumps([{}] * 21)):
        assert client.get("/api/v1/compare/hidden", {**view, "each": each}).status_code == 400
