"""The shapes of opened files, and of what is saved to one."""

from rest_framework import serializers

from keepsort.files.catalogue import FORMATS
from keepsort.server.api.shapes.base import Shape, path_field


class FileShape(Shape):
    """A file that was opened. passed_over: what in it was not understood."""

    id = serializers.IntegerField(help_text="The number of its record.")
    name = serializers.CharField()
    form = serializers.CharField()
    bytes = serializers.IntegerField()
    sha256 = serializers.CharField()
    system = serializers.CharField()
    connector = serializers.CharField()
    software = serializers.CharField()
    taken_at = serializers.CharField()
    made_by = serializers.CharField()
    note = serializers.CharField()
    objects = serializers.IntegerField()
    whole = serializers.BooleanField()
    signed = serializers.ChoiceField(choices=("no", "here", "elsewhere"))
    signed_by = serializers.CharField()
    secrets = serializers.IntegerField()
    passed_over = serializers.ListField(child=serializers.CharField())
    opened_at = serializers.DateTimeField()
    by = serializers.CharField()
    keep_until = serializers.DateTimeField()
    fits = serializers.ListField(
        child=serializers.IntegerField(), help_text="Systems that it can be compared with."
    )


class FileValueShape(Shape):
    """One attribute of an object of a file; each value in words."""

    name = serializers.CharField()
    values = serializers.ListField(child=serializers.CharField(allow_blank=True))
    more = serializers.IntegerField()


class FileChildShape(Shape):
    """An object beneath another one; how many there are at and beneath it."""

    path = path_field()
    name = serializers.CharField()
    kind_label = serializers.CharField()
    objects = serializers.IntegerField()


class FileObjectShape(Shape):
    """An object of a file, its values as they may be seen, and some of those beneath it."""

    path = path_field()
    written = serializers.CharField()
    kind_label = serializers.CharField()
    mentioned = serializers.BooleanField()
    unreadable = serializers.CharField()
    attributes = FileValueShape(many=True)
    children = FileChildShape(many=True)
    total = serializers.IntegerField()


class FoundInFileShape(Shape):
    """Objects of a file in which a text was found; whether all of it was searched."""

    found = FileChildShape(many=True)
    searched_all = serializers.BooleanField()


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


class ExportShape(Shape):
    """What an export would hold; `left_out` lists the first of what it would not."""

    name = serializers.CharField()
    bytes = serializers.IntegerField()
    objects = serializers.IntegerField()
    secrets = serializers.IntegerField()
    sealed = serializers.IntegerField()
    left_out = serializers.ListField(child=serializers.CharField())
    left_out_count = serializers.IntegerField()
