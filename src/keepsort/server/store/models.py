"""Chunks in PostgreSQL."""

from django.db import models
from django.db.models import Q
from django.db.models.functions import Now


class Chunk(models.Model):
    """Packed bytes, addressed by the digest of what they stand for.

    base: address of the chunk whose bytes these are packed against; null where none.
    depth: how many bases must be read before this one.
    used_at: when somebody last counted on it while building a tree.
    """

    address = models.BinaryField(primary_key=True, max_length=24)
    data = models.BinaryField()
    base = models.BinaryField(max_length=24, null=True)
    depth = models.PositiveSmallIntegerField(default=0)
    used_at = models.DateTimeField(db_default=Now())

    class Meta:
        """Found by what is packed against it."""

        indexes = [
            models.Index(fields=["base"], name="chunk_base", condition=Q(base__isnull=False))
        ]
