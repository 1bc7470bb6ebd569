"""Versions of objects, each with the run of backups in which it stands unchanged."""

from django.contrib.postgres.indexes import GinIndex, OpClass
from django.contrib.postgres.search import SearchVectorField
from django.db import models
from django.db.models import F, Q

from keepsort.server.snapshots.models import Record
from keepsort.server.systems.models import System


def holds(top: str, key: str) -> bool:
    """Tell whether a key lies at or beneath another."""
    return top == "/" or key == top or key.startswith(top + "/")


class Indexed(models.Model):
    """A backup that the index has taken in.

    number: counts them for each system. top: key of the branch that the backup holds; it tells
        nothing of what lies elsewhere.
    """

    system = models.ForeignKey(System, on_delete=models.CASCADE, related_name="indexed")
    record = models.OneToOneField(Record, on_delete=models.CASCADE, related_name="indexed")
    number = models.PositiveIntegerField()
    top = models.TextField(default="/")

    def covers(self, key: str) -> bool:
        """Tell whether the backup tells of what is at this place."""
        return holds(self.top, key)

    class Meta:
        """In the order in which they were taken in."""

        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["system", "number"], name="one_number")]


class Head(models.Model):
    """How far the index of a system has come.

    number: of the last backup taken in. next_thing: the next free number of an object.
    significant, facts, schema, total: the tree as the index knows it, once a backup of the whole
        system was taken in: the newest of these, with newer branches in it.
    """

    system = models.OneToOneField(System, on_delete=models.CASCADE, related_name="index_head")
    number = models.PositiveIntegerField(default=0)
    next_thing = models.PositiveBigIntegerField(default=1)
    significant = models.BinaryField(max_length=24, null=True)
    facts = models.BinaryField(max_length=24, null=True)
    schema = models.BinaryField(max_length=24, null=True)
    total = models.PositiveBigIntegerField(default=0)


class Version(models.Model):
    """An object as it was in a run of backups, one after the other.

    thing: number of the object within its system; all its versions share it.
    key: its path in the form that compares, with slashes. path: the names as they are written.
    folded: its name without letter case. state: how it came to differ from what was before.
    attributes: names of those that changed then. digest: of its kind and attributes.
    first, last: numbers of the first and the last backup (`Indexed`) that have it; no last where
        the newest one has it. words: words of its name and values, secrets left out.
    """

    system = models.ForeignKey(System, on_delete=models.CASCADE, db_index=False)
    thing = models.PositiveBigIntegerField()
    identity = models.TextField(null=True)
    key = models.TextField()
    path = models.JSONField()
    name = models.TextField()
    folded = models.TextField()
    kind = models.TextField()
    state = models.CharField(max_length=10)
    attributes = models.JSONField(default=list)
    digest = models.BinaryField(max_length=12)
    first = models.PositiveIntegerField()
    last = models.PositiveIntegerField(null=True)
    words = SearchVectorField(null=True)

    def is_in(self, number: int) -> bool:
        """Tell whether it stands in a backup, if that backup tells of its place at all."""
        return self.first <= number and (self.last is None or number <= self.last)

    class Meta:
        """Found by place, by object, by part of a name, and by words."""

        indexes = [
            models.Index(fields=["system", "thing"], name="version_thing"),
            models.Index(fields=["system", "key"], name="version_key"),
            models.Index(
                fields=["system", "identity"], name="version_identity",
                condition=Q(identity__isnull=False),
            ),
            GinIndex(OpClass(F("folded"), "gin_trgm_ops"), name="version_name"),
            GinIndex(fields=["words"], name="version_words"),
        ]  # fmt: skip
