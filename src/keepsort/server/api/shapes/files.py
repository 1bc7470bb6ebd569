"""The shapes of opened files, and of what is saved to one."""

from dataclasses import dataclass
from datetime import datetime
from typing import Literal

from rest_framework import serializers

from keepsort.files.catalogue import FORMATS
from keepsort.server.api.shapes.base import Shape, path_field


@dataclass(kw_only=True)
class FileAnswer:
    """A file that was opened. passed_over: what in it was not understood.

    id: the number of its record.
    fits: systems that it can be compared with.
    """

    id: int
    name: str
    form: str
    bytes: int
    sha256: str
    system: str
    connector: str
    software: str
    taken_at: str
    made_by: str
    note: str
    objects: int
    whole: bool
    signed: Literal["no", "here", "elsewhere"]
    signed_by: str
    secrets: int
    passed_over: list[str]
    opened_at: datetime
    by: str
    keep_until: datetime
    fits: list[int]


class WantedShape(Shape):
    """What of a backup is to be given out; all of it where no place is named.

    single: objects without what is beneath them. passphrase: what secrets are sealed with; they are
    left out where it is null.
    """

    form = serializers.ChoiceField(choices=list(FORMATS))
    branches = serializers.ListField(child=path_field(), default=list)
    single = serializers.ListField(child=path_field(), default=list)
    passphrase = serializers.CharField(
        allow_null=True, default=None, trim_whitespace=False, max_length=1000
    )


class ImportShape(Shape):
    """What a file is to be a backup of."""

    system = serializers.IntegerField()
    note = serializers.CharField(max_length=300, allow_blank=True, default="")


@dataclass(kw_only=True)
class ExportAnswer:
    """What an export would hold; `left_out` lists the first of what it would not."""

    name: str
    bytes: int
    objects: int
    secrets: int
    sealed: int
    left_out: list[str]
    left_out_count: int
