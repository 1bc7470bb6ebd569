"""Texts in a value that name other objects."""

from collections.abc import Callable, Iterator

from keepsort.core.model.kinds import AttributeSpec
from keepsort.core.model.objects import Value


def named(spec: AttributeSpec, value: Value) -> Iterator[str]:
    """Yield the texts in a value that name objects, as its spec says."""
    if isinstance(value, list):
        for part in value:
            yield from named(spec, part)
    elif isinstance(value, dict):
        for key in _named_keys(spec, value):
            yield value[key]
    elif spec.reference and isinstance(value, str):
        yield value


def renamed(spec: AttributeSpec, value: Value, name: Callable[[str], Value]) -> Value:
    """Return a value with every text that names an object put through `name`."""
    if isinstance(value, list):
        return [renamed(spec, part, name) for part in value]
    if isinstance(value, dict):
        named_keys = _named_keys(spec, value)
        return {k: name(v) if k in named_keys else v for k, v in value.items()}
    return name(value) if spec.reference and isinstance(value, str) else value


def _named_keys(spec: AttributeSpec, value: dict[str, Value]) -> list[str]:
    """Return the keys of a map whose values name objects: all of them where the map does."""
    keys = value if spec.reference and spec.shape == "map" else spec.reference_in
    return [key for key in keys if isinstance(value.get(key), str)]
