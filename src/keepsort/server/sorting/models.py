"""What people sort by."""

from django.db import models

from keepsort.server.systems.models import System


class PastedList(models.Model):
    """Names or ids that somebody pasted, to see only these; the same list is kept once.

    digest: of the lines. lines: each as the texts it may be known by, the whole line first.
    """

    digest = models.CharField(max_length=64, unique=True)
    lines = models.JSONField()
    made_at = models.DateTimeField(auto_now_add=True)


class Tallied(models.Model):
    """How two trees differ in sum, by the terms that they were compared by.

    key: stands for both trees and the terms. counts: objects by the way they differ. first: the
    first of them, in the form of `tallying.First`. things: in the form of
    `things.Things`; empty where nobody has asked for them.
    """

    key = models.CharField(max_length=48, unique=True)
    counts = models.JSONField()
    first = models.JSONField()
    things = models.JSONField(default=dict)
    made_at = models.DateTimeField(auto_now_add=True)


class SharedComparison(models.Model):
    """What a comparison found, for every process: see `shared`.

    key: stands for both trees and the terms. size: bytes of the content, as it is packed.
    """

    key = models.CharField(max_length=48, unique=True)
    content = models.BinaryField()
    size = models.IntegerField()
    used_at = models.DateTimeField(db_index=True)


class Spotted(models.Model):
    """One thing that differs, and when a look first saw it stand as it does.

    stands: as in `things.Thing`.
    """

    system = models.ForeignKey(System, on_delete=models.CASCADE)
    stands = models.CharField(max_length=64)
    since = models.DateTimeField()

    class Meta:
        """One row a thing."""

        constraints = [models.UniqueConstraint(fields=["system", "stands"], name="one_spotted")]
