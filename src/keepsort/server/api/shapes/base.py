"""What all shapes of the API are made from; the browser's types are made from them."""

from typing import Any

from rest_framework import serializers


def path_field(**options: Any) -> serializers.ListField:
    """Return the field of a path: the names of the objects from the top on."""
    return serializers.ListField(child=serializers.CharField(allow_blank=True), **options)


def tally_field(**options: Any) -> serializers.DictField:
    """Return the field of numbers by state."""
    return serializers.DictField(child=serializers.IntegerField(), **options)


class Shape(serializers.Serializer[object]):
    """Base of all shapes."""


def texts_field(**options: Any) -> serializers.ListField:
    """Return the field of some short texts."""
    return serializers.ListField(child=serializers.CharField(max_length=400), **options)


def minutes_field(**options: Any) -> serializers.IntegerField:
    """Return the field of minutes that a run may wait: a week at most."""
    return serializers.IntegerField(min_value=0, max_value=7 * 24 * 60, **options)
