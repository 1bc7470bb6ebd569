"""The shapes of what became of an object, and of what a search finds."""

from rest_framework import serializers

from keepsort.server.api.shapes.base import Shape, path_field
from keepsort.server.api.shapes.records import BriefRecordShape

MOMENT_STATES = ("new", "changed", "moved", "recreated", "gone")


class MomentShape(Shape):
    """A version of an object: from one backup to another, or until now."""

    record = BriefRecordShape()
    until = BriefRecordShape(allow_null=True)
    state = serializers.ChoiceField(choices=MOMENT_STATES)
    attributes = serializers.ListField(child=serializers.CharField())
    path = path_field()


class SinceShape(Shape):
    """Since which backup an attribute is as it is; `after` where no backup has it yet."""

    attribute = serializers.CharField()
    record = BriefRecordShape(allow_null=True)
    after = BriefRecordShape(allow_null=True)


class HistoryShape(Shape):
    """The history of an object; `behind` while newer backups are not yet in it."""

    behind = serializers.BooleanField()
    moments = MomentShape(many=True)
    since = SinceShape(many=True)


class HitShape(Shape):
    """An object that a search found, and the backups that have it."""

    system = serializers.IntegerField()
    system_name = serializers.CharField()
    path = path_field()
    written = serializers.CharField()
    name = serializers.CharField(allow_blank=True)
    kind_label = serializers.CharField()
    record = BriefRecordShape(allow_null=True)
    first = BriefRecordShape(allow_null=True)
    backups = serializers.IntegerField()
    now = serializers.BooleanField()
    told_by = BriefRecordShape()
    differing = serializers.IntegerField()
    where = serializers.CharField(allow_blank=True)


class FoundShape(Shape):
    """What a search found.

    behind: systems with backups that are not searched yet. unsure: systems whose newest look cannot
    be searched.
    """

    hits = HitShape(many=True)
    more = serializers.BooleanField()
    behind = serializers.ListField(child=serializers.CharField())
    unsure = serializers.ListField(child=serializers.CharField())
