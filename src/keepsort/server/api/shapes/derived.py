"""Shapes made from the data classes that services return, so that each is written down once."""

from collections.abc import Callable
from datetime import datetime
from functools import cache
from inspect import getdoc
from types import NoneType, UnionType
from typing import Any, Literal, TypeVar, Union, get_args, get_origin, get_type_hints

import msgspec
from django.db.models import Choices
from rest_framework import serializers
from rest_framework.response import Response

from keepsort.server.api.shapes.base import Shape

_Full = TypeVar("_Full", bound=msgspec.Struct)
_PLAIN: dict[object, Callable[..., serializers.Field[Any, Any, Any, Any]]] = {
    bool: serializers.BooleanField,
    int: serializers.IntegerField,
    float: serializers.FloatField,
    str: lambda **options: serializers.CharField(allow_blank=True, **options),
    datetime: serializers.DateTimeField,
}


@cache
def shape_of(source: type) -> type[Shape]:
    """Return the shape of a data class or struct: all its fields, and what it says of itself.

    Raises TypeError of a struct that leaves fields out where they have their defaults.
    """
    config = getattr(source, "__struct_config__", None)
    if config is not None and config.omit_defaults:
        raise TypeError(f"{source.__name__} would be answered without fields that its shape has")
    fields = {field: _field(hint) for field, hint in get_type_hints(source).items()}
    name = f"{source.__name__.removesuffix('Answer')}Shape"
    return type(name, (Shape,), {**fields, "__doc__": getdoc(source), "__module__": __name__})


def full(form: type[_Full], value: object) -> _Full:
    """Return a struct in another form of it, one that leaves no defaults out."""
    return msgspec.convert(value, form, from_attributes=True)


def answer(found: object, status: int = 200) -> Response:
    """Answer with a data class, or a struct, as its shape says."""
    return Response(msgspec.to_builtins(found), status=status)


def _field(hint: Any, **options: Any) -> serializers.Field[Any, Any, Any, Any]:
    origin, inner = get_origin(hint), get_args(hint)
    if origin in (Union, UnionType):
        [one] = [part for part in inner if part is not NoneType]
        return _field(one, allow_null=True, **options)
    if origin is Literal:
        choices = [one for one in inner if one != ""]
        return serializers.ChoiceField(choices=choices, allow_blank="" in inner, **options)
    if origin in (list, tuple):
        if _is_made_of_fields(inner[0]):
            return shape_of(inner[0])(many=True, **options)
        return serializers.ListField(child=_field(inner[0]), **options)
    if origin is dict:
        return serializers.DictField(child=_field(inner[1]), **options)
    if _is_made_of_fields(hint):
        return shape_of(hint)(**options)
    if isinstance(hint, type) and issubclass(hint, Choices):
        return serializers.ChoiceField(choices=hint.choices, **options)
    return _PLAIN[hint](**options)


def _is_made_of_fields(hint: Any) -> bool:
    return hasattr(hint, "__dataclass_fields__") or hasattr(hint, "__struct_fields__")
