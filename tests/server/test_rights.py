"""Who may ask for what: every address of the API, with every role and with none."""

import re
from collections.abc import Iterator

import pytest
from django.test import Client
from django.urls import URLPattern

from keepsort.server.accounts.models import Role, User
from keepsort.server.urls import urlpatterns

_ANYONE = None
_LOOK, _OPERATE, _RESTORE, _SET_UP = (
    Role.VIEWER, Role.OPERATOR, Role.RESTORER, Role.ADMINISTRATOR,
)  # fmt: skip
#: The least role for each address and method. An address that is not here makes a test fail, so
#: nobody adds one without deciding.
LEAST: dict[tuple[str, str], Role | None] = {
    ("get", "session"): _ANYONE,
    ("post", "session"): _ANYONE,
    ("delete", "session"): _ANYONE,
    ("get", "health"): _LOOK,
    ("get", "attention"): _LOOK,
    ("get", "attention/ranked"): _LOOK,
    ("post", "attention/aside"): _OPERATE,
    ("delete", "attention/aside/N"): _OPERATE,
    ("get", "systems/N/expected"): _LOOK,
    ("get", "systems/N/keeping"): _LOOK,
    ("put", "systems/N/keeping"): _SET_UP,
    ("get", "systems/N/schedules"): _LOOK,
    ("post", "systems/N/schedules"): _OPERATE,
    ("post", "systems/N/schedules/ahead"): _OPERATE,
    ("put", "schedules/N"): _OPERATE,
    ("patch", "schedules/N"): _OPERATE,
    ("delete", "schedules/N"): _OPERATE,
    ("post", "schedules/N/run"): _OPERATE,
    ("get", "systems/N/retention"): _LOOK,
    ("put", "systems/N/retention"): _SET_UP,
    ("post", "systems/N/retention/ahead"): _LOOK,
    ("post", "systems/N/verify"): _OPERATE,
    ("post", "work/N/cancel"): _OPERATE,
    ("get", "records/N/standing"): _LOOK,
    ("get", "records/N/delete"): _LOOK,
    ("post", "records/N/delete"): _SET_UP,
    ("get", "systems/N/kinds"): _LOOK,
    ("post", "records/N/verify"): _OPERATE,
    ("get", "receivers"): _SET_UP,
    ("post", "receivers"): _SET_UP,
    ("patch", "receivers/N"): _SET_UP,
    ("delete", "receivers/N"): _SET_UP,
    ("post", "receivers/N/test"): _SET_UP,
    ("post", "receivers/N/digest"): _SET_UP,
    ("post", "plans/N/again"): _OPERATE,
    ("get", "settings/N/places"): _SET_UP,
    ("post", "settings/N/places"): _SET_UP,
    ("post", "places/N"): _SET_UP,
    ("delete", "places/N"): _SET_UP,
    ("get", "places/N/stored"): _SET_UP,
    ("post", "places/N/stored"): _SET_UP,
    ("get", "files"): _LOOK,
    ("post", "files"): _OPERATE,
    ("get", "files/N"): _LOOK,
    ("delete", "files/N"): _OPERATE,
    ("get", "files/N/object"): _LOOK,
    ("get", "files/N/search"): _LOOK,
    ("post", "files/N/import"): _OPERATE,
    ("post", "records/N/export"): _LOOK,
    ("post", "records/N/export/ahead"): _LOOK,
    ("get", "systems"): _LOOK,
    ("post", "systems/N/work"): _OPERATE,
    ("get", "work/N"): _LOOK,
    ("get", "systems/N/backups"): _LOOK,
    ("put", "systems/N/rules"): _OPERATE,
    ("get", "systems/N/names"): _LOOK,
    ("put", "systems/N/names"): _OPERATE,
    ("put", "systems/N/watched"): _OPERATE,
    ("get", "systems/N/places"): _LOOK,
    ("get", "records/N"): _LOOK,
    ("get", "records/N/apart"): _LOOK,
    ("patch", "records/N"): _OPERATE,
    ("get", "records/N/export"): _LOOK,
    ("get", "records/N/export/ahead"): _LOOK,
    ("get", "compare"): _LOOK,
    ("get", "compare/outline"): _LOOK,
    ("get", "compare/level"): _LOOK,
    ("get", "compare/object"): _LOOK,
    ("get", "compare/branch"): _LOOK,
    ("get", "compare/neighbours"): _LOOK,
    ("get", "compare/lines"): _LOOK,
    ("get", "compare/common"): _LOOK,
    ("get", "compare/common/paths"): _LOOK,
    ("get", "compare/hidden"): _LOOK,
    ("get", "compare/shown"): _LOOK,
    ("get", "compare/history"): _LOOK,
    ("get", "connectors"): _SET_UP,
    ("post", "connectors/try"): _SET_UP,
    ("get", "settings"): _SET_UP,
    ("post", "settings"): _SET_UP,
    ("put", "settings/N"): _SET_UP,
    ("delete", "settings/N"): _SET_UP,
    ("post", "lists"): _LOOK,
    ("get", "search"): _LOOK,
    ("post", "tray"): _LOOK,
    ("post", "plans"): _OPERATE,
    ("post", "plans/elsewhere"): _OPERATE,
    ("get", "plans/N"): _LOOK,
    ("post", "plans/N"): _RESTORE,
    ("get", "runs"): _LOOK,
    ("get", "runs/N"): _LOOK,
    ("get", "runs/N/journal"): _LOOK,
    ("post", "runs/N/cancel"): _RESTORE,
    ("post", "runs/N/try"): _RESTORE,
    ("patch", "runs/N"): _RESTORE,
    ("post", "runs/N/undo"): _OPERATE,
    ("get", "events"): _LOOK,
    ("get", "schema"): _LOOK,
}
METHODS = ("get", "post", "put", "patch", "delete")
ROLES = [None, *Role]


def _served() -> Iterator[tuple[str, str]]:
    """Yield every method of every address that the application answers."""
    for pattern in urlpatterns:
        assert isinstance(pattern, URLPattern)
        route = str(pattern.pattern)
        if not route.startswith("api/"):
            continue
        view = getattr(pattern.callback, "view_class", None) or getattr(
            pattern.callback, "cls", None
        )
        for method in METHODS:
            if hasattr(view, method) or (view is None and method == "get"):
                yield method, re.sub("<int:number>", "N", route.removeprefix("api/v1/"))


def test_every_address_has_a_least_role() -> None:
    assert set(_served()) == set(LEAST)


@pytest.mark.django_db
@pytest.mark.parametrize("role", ROLES, ids=str)
def test_each_role_gets_what_it_may_and_nothing_more(role: Role | None) -> None:
    client = Client(raise_request_exception=False)
    for (method, address), least in LEAST.items():
        if role is not None:
            user, _ = User.objects.get_or_create(username="someone", defaults={"role": role})
            client.force_login(user)
        url = f"/api/v1/{address.replace('N', '999999')}"
        answer = client.generic(method.upper(), url, "{}", content_type="application/json")
        allowed = least is None or (
            role is not None and list(Role).index(role) >= list(Role).index(least)
        )
        if address == "session" and method == "post":
            assert answer.status_code in (400, 403), "no name and no password is no sign-in"
        elif allowed:
            assert answer.status_code not in (401, 403), (method, address, role, answer.content)
            assert answer.status_code < 500, (method, address, role)
        else:
            assert answer.status_code == 403, (method, address, role, answer.status_code)


@pytest.mark.django_db
def test_the_page_comes_with_a_policy_and_nothing_outside_of_it() -> None:
    client = Client()
    page = client.get("/")
    assert page.status_code in (200, 503)
    policy = page.headers["Content-Security-Policy"]
    assert "default-src 'none'" in policy or "default-src 'self'" in policy
    assert "unsafe-inline" not in policy.split("style-src")[0]
    assert "unsafe-eval" not in policy
    assert page.headers["X-Content-Type-Options"] == "nosniff"
    assert page.headers["Referrer-Policy"] == "same-origin"
    for away in (
        "../manage.py",
        "..%2f..%2fmanage.py",
        "assets/../../manage.py",
        "//etc/passwd",
        "assets/%00",
    ):
        answer = client.get(f"/{away}")
        body = b"".join(answer.streaming_content) if answer.streaming else answer.content
        assert b"DJANGO_SETTINGS_MODULE" not in body, away
        assert b"root:" not in body, away
