"""Every answer of the API that a test gets is held against the API's own schema."""

import re
from functools import cache
from typing import Any

import pytest
from django.http import HttpResponse
from django.test import Client
from jsonschema import Draft202012Validator
from referencing import Registry, Resource
from referencing.jsonschema import DRAFT202012


@cache
def _schema() -> dict[str, Any]:
    from drf_spectacular.generators import SchemaGenerator

    found: dict[str, Any] = SchemaGenerator().get_schema(request=None, public=True)
    return found


@cache
def _validator(path: str, method: str, status: str) -> Draft202012Validator | None:
    """Return what judges an answer; None where the schema says nothing of its content."""
    told = _schema()["paths"][path][method]["responses"].get(status, {})
    content = told.get("content", {}).get("application/json")
    if content is None:
        return None
    return Draft202012Validator(_exact(content["schema"], "urn:api"), registry=_registry())


@cache
def _registry() -> Registry[Any]:
    whole = Resource.from_contents(_exact(_schema()), default_specification=DRAFT202012)
    return Registry().with_resource("urn:api", whole)


def _exact(schema: Any, base: str = "") -> Any:
    """Return a schema with what OpenAPI 3.0 says otherwise than JSON Schema does, and with no
    room for fields that it does not name."""
    if isinstance(schema, list):
        return [_exact(one, base) for one in schema]
    if not isinstance(schema, dict):
        return schema
    found = {k: _exact(v, base) for k, v in schema.items() if k != "nullable"}
    if "$ref" in found and isinstance(found["$ref"], str):
        found["$ref"] = base + found["$ref"]
    if isinstance(found.get("properties"), dict) and found.get("type") == "object":
        found.setdefault("additionalProperties", False)
    return {"anyOf": [found, {"type": "null"}]} if schema.get("nullable") else found


def _judge(method: str, answer: HttpResponse) -> None:
    route = getattr(getattr(answer, "resolver_match", None), "route", "") or ""
    is_json = answer.headers.get("Content-Type", "").startswith("application/json")
    if not route.startswith("api/v1/") or not is_json or answer.status_code >= 300:
        return
    path = "/" + re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", route)
    if path not in _schema()["paths"]:
        return
    validator = _validator(path, method.lower(), str(answer.status_code))
    if validator is not None:
        errors = [
            f"{error.json_path}: {error.message[:300]}"
            for error in validator.iter_errors(answer.json())  # type: ignore[attr-defined]
        ]
        assert not errors, (method, path, errors[:3])


@pytest.fixture(autouse=True)
def answers_fit_their_shapes(monkeypatch: pytest.MonkeyPatch) -> None:
    request = Client.request

    def judged(self: Client, **asked: Any) -> Any:
        answer = request(self, **asked)
        _judge(asked.get("REQUEST_METHOD", "GET"), answer)
        return answer

    monkeypatch.setattr(Client, "request", judged)
