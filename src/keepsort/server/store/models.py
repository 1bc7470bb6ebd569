"""Chunks in PostgreSQL."""

from django.db import models
from django.db.models import Q
from django.db.models.functions import Now


class Chunk(models.Model):
    """Packed bytes, addressed by the digest of what they stand for.

    base: address of the chunk whose bytes these are packed against; null where none.
    depth: how many bases must be read before this one.
    used_at: when somebody last counted on it while building a tree.
    broken: it was read, and was not what its address says; whoever stores it next mends it.
    """

    address = models.BinaryField(primary_key=True, max_length=24)
    data = models.BinaryField()
    base = models.BinaryField(max_length=24, null=True)
    depth = models.PositiveSmallIntegerField(default=0)
    used_at = models.DateTimeField(db_default=Now())
    broken = models.BooleanField(db_default=False)

    class Meta:
        """Found by what is packed against it, and the few that are broken."""

        indexes = [
            models.Index(fields=["base"], name="chunk_base", condition=Q(base__isnull=False)),
            models.Index(fields=["address"], name="chunk_broken", condition=Q(broken=True)),
        ]
