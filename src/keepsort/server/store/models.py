"""Chunks in PostgreSQL."""

from django.db import models


class Chunk(models.Model):
    """Packed bytes, addressed by the digest of what they stand for.

    base: address of the chunk whose bytes these are packed against; null where none.
    depth: how many bases must be read before this one.
    """

    address = models.BinaryField(primary_key=True, max_length=24)
    data = models.BinaryField()
    base = models.BinaryField(max_length=24, null=True)
    depth = models.PositiveSmallIntegerField(default=0)
