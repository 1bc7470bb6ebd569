"""Backups and looks, and the work of making them."""

from django.conf import settings
from django.db import models

from keepsort.server.systems.models import System


class Record(models.Model):
    """A snapshot of a system.

    kind: a backup is kept; a look at live only until newer ones take its place; a file was opened.
    at: names down to the topmost object; empty for the whole system.
    schema: address of the chunk that holds the kinds (`core.model.Schema`).
    changes: how it differs from the backup before it, by state.
    imported: it was not seen live, but taken from a file.
    gaps: places of objects some of whose secrets are not known, since a file left them out.
    problems: what was unsound, as ``[{"path", "text"}]``, the first of them.
    """

    class Kind(models.TextChoices):
        """What the snapshot was made for."""

        BACKUP = "backup"
        LOOK = "look"
        FILE = "file"

    system = models.ForeignKey(System, on_delete=models.CASCADE, related_name="records")
    kind = models.CharField(max_length=8, choices=Kind.choices)
    taken_at = models.DateTimeField(db_index=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    note = models.CharField(max_length=400, blank=True)
    pinned = models.BooleanField(default=False)
    at = models.JSONField(default=list)
    significant = models.BinaryField(max_length=24)
    facts = models.BinaryField(max_length=24, null=True)
    schema = models.BinaryField(max_length=24)
    software = models.CharField(max_length=200)
    objects_count = models.PositiveBigIntegerField()
    stored_bytes = models.PositiveBigIntegerField()
    seconds = models.FloatField()
    changes = models.JSONField(default=dict)
    imported = models.BooleanField(default=False)
    gaps = models.JSONField(default=list)
    problems = models.JSONField(default=list)
    problem_count = models.PositiveIntegerField(default=0)

    class Meta:
        """Newest first."""

        ordering = ["-taken_at", "-id"]
        indexes = [models.Index(fields=["system", "kind", "-taken_at"])]


class Construction(models.Model):
    """A snapshot that is being made: what it counts on must not be collected meanwhile.

    previous: what it builds on.
    """

    started_at = models.DateTimeField(auto_now_add=True)
    previous = models.ForeignKey(Record, on_delete=models.PROTECT, null=True, related_name="+")


class Work(models.Model):
    """Something long that a worker does: a backup or a look.

    attempts: how often a worker has begun it.
    alive_at: when the worker was heard of last.
    """

    class Kind(models.TextChoices):
        """What is made."""

        BACKUP = "backup"
        LOOK = "look"

    class State(models.TextChoices):
        """How far it is."""

        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"

    system = models.ForeignKey(System, on_delete=models.CASCADE, related_name="work")
    kind = models.CharField(max_length=8, choices=Kind.choices)
    at = models.JSONField(default=list)
    note = models.CharField(max_length=400, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    objects_seen = models.PositiveBigIntegerField(default=0)
    message = models.TextField(blank=True)
    attempts = models.PositiveIntegerField(default=0)
    alive_at = models.DateTimeField(null=True)
    result = models.ForeignKey(Record, on_delete=models.SET_NULL, null=True)
    asked_at = models.DateTimeField(auto_now_add=True)
