"""Reading what a request asks for."""

from collections.abc import Mapping
from typing import Any

import msgspec
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter
from rest_framework.permissions import BasePermission
from rest_framework.request import Request
from rest_framework.views import APIView

from keepsort.core.compare import LIKENESS, Accepted, Filter, Rules
from keepsort.core.compare.comparison import STATES
from keepsort.core.model import Path
from keepsort.server import reading
from keepsort.server.accounts.models import User
from keepsort.server.accounts.roles import MayAdminister, MayLook, MayOperate
from keepsort.server.problems import Problem
from keepsort.server.snapshots.services import record_number
from keepsort.server.sorting.comparing import Terms
from keepsort.server.sorting.viewing import Seen, open_view
from keepsort.server.sorting.viewing import View as Looked

_MOST_PATTERNS, _LONGEST_PATTERN = 200, 400


class View(APIView):
    """A view that anyone signed in may read and only some may write to."""

    writers: type[BasePermission] = MayOperate

    def get_permissions(self) -> list[BasePermission]:
        """Ask more of those who change something."""
        return [MayLook() if self.request.method in ("GET", "HEAD") else self.writers()]


class KeptView(View):
    """A view that only administrators write to."""

    writers: type[BasePermission] = MayAdminister


def person(request: Request) -> User:
    """Return who is signed in."""
    assert isinstance(request.user, User)
    return request.user


PATH = OpenApiParameter("path", OpenApiTypes.STR, description="A path as a JSON list of names.")
AFTER = OpenApiParameter(
    "after", OpenApiTypes.INT, description="`entries` of an answer: only lines that changed since."
)
#: What every view of a comparison may be asked with.
LOOKED = [
    OpenApiParameter("left", OpenApiTypes.INT, required=True),
    OpenApiParameter("right", OpenApiTypes.INT, required=True),
    OpenApiParameter("rules", OpenApiTypes.STR, description="Ignore rules as JSON; else as saved."),
    OpenApiParameter("alike", OpenApiTypes.NUMBER, description="How alike a move must be, 0 to 1."),
    OpenApiParameter(
        "accepted", OpenApiTypes.STR, description="Moves accepted: a list of pairs of paths."
    ),
    OpenApiParameter("hangs", OpenApiTypes.STR, description="What an opened file is beneath."),
    OpenApiParameter("states", OpenApiTypes.STR, description="Kinds of difference, with commas."),
    OpenApiParameter("kinds", OpenApiTypes.STR, description="Kinds of object, with commas."),
    OpenApiParameter("attributes", OpenApiTypes.STR, description="Attributes, with commas."),
    OpenApiParameter("name", OpenApiTypes.STR, description="Part of a name."),
    OpenApiParameter("since", OpenApiTypes.INT, description="A backup: only what changed since."),
    OpenApiParameter("listed", OpenApiTypes.INT, description="A pasted list."),
]


def path_of(request: Request) -> Path:
    """Read the path that a request names."""
    return reading.path(request.query_params.get("path", ""))


def number_of(request: Request, name: str, default: int) -> int:
    """Read a whole number."""
    return reading.number(request.query_params.get(name, default), name)


def read_rules(data: Mapping[str, Any]) -> Rules:
    """Read ignore rules. Raises `Problem` with what is wrong with them."""
    try:
        rules = msgspec.convert(dict(data), Rules, strict=True)
        patterns = (*rules.comments, *rules.attributes, *rules.paths)
        if len(patterns) > _MOST_PATTERNS or any(len(p) > _LONGEST_PATTERN for p in patterns):
            raise Problem(
                f"There are more than {_MOST_PATTERNS} patterns, or one is very long.",
                "Use fewer; one with * can stand for many.",
            )
        return rules
    except msgspec.ValidationError as error:
        raise Problem(
            f"These are no ignore rules: {error}.", "Correct them, or use none."
        ) from None


def read_terms(data: Mapping[str, Any]) -> Terms:
    """Read the terms that two records are compared by."""
    rules = data.get("rules")
    alike = float(data.get("alike") or LIKENESS)
    if not 0.1 <= alike <= 1:
        raise Problem("How alike a move must be is a number from 0.1 to 1.")
    try:
        accepted = msgspec.convert(data.get("accepted") or (), Accepted)
    except msgspec.ValidationError:
        raise Problem(
            "Accepted moves are a list of pairs of paths.", "Start from Watch again."
        ) from None
    hangs = data.get("hangs")
    return Terms(
        read_rules(rules) if rules is not None else None, alike, accepted,
        tuple(hangs) if hangs is not None else None,
    )  # fmt: skip


def looked(request: Request) -> Looked:
    """Read what a person looks at."""
    asked = request.query_params

    def listed(name: str) -> list[str]:
        return [part for part in asked.get(name, "").split(",") if part]

    terms = {
        "rules": _json(asked.get("rules"), "rules"),
        "alike": _decimal(asked.get("alike")),
        "accepted": _json(asked.get("accepted"), "accepted") or [],
        "hangs": reading.path(asked["hangs"]) if asked.get("hangs") else None,
    }
    if not isinstance(terms["rules"], dict | None):
        raise Problem("What is asked for is not written as it should be.", "Start from Watch.")
    return Looked(
        left=record_number(asked.get("left", "")),
        right=record_number(asked.get("right", "")),
        terms=read_terms(terms),
        filter=Filter(
            states=frozenset(listed("states")) & frozenset(STATES),
            kinds=frozenset(listed("kinds")),
            attributes=tuple(listed("attributes")),
            text=asked.get("name", "").strip(),
        ),
        since=number_of(request, "since", 0) or None,
        listed=number_of(request, "listed", 0) or None,
    )


def seen(request: Request) -> Seen:
    """Open what a person looks at. Raises `Problem`."""
    return open_view(looked(request))


def _json(text: str | None, name: str) -> Any:
    if not text:
        return None
    try:
        return reading.json(text)
    except ValueError:
        raise Problem(f"{name} is not written as JSON.", "Start from Watch again.") from None


def _decimal(text: str | None) -> float:
    try:
        return float(text) if text else LIKENESS
    except ValueError:
        raise Problem("How alike a move must be is a number from 0.1 to 1.") from None
