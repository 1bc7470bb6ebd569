"""Backups and looks, and the work of making them."""

from django.conf import settings
from django.db import models

from keepsort.server.schedules.models import Schedule
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
    baseline: the good state of its system that others are measured by; one a system.
    schedule: what made it; None where a person did.
    choice: what it took, in the form of `core.snapshot.Choice`. narrowed: it took less than backups
        of its system do, since its schedule says so.
    kinds: objects and bytes of each kind, as ``{kind: [objects, bytes]}``, once they were counted.
    verified_at: when all it stands on was read again last. damage: what of it could not be read
        then, as ``[{"path", "text"}]``, the first of it.
    needed_until: somebody has picks of it; see `retention.needs`.
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
    baseline = models.BooleanField(default=False)
    schedule = models.ForeignKey(
        Schedule, on_delete=models.SET_NULL, null=True, related_name="records"
    )
    choice = models.JSONField(default=dict)
    narrowed = models.BooleanField(default=False)
    kinds = models.JSONField(null=True)
    verified_at = models.DateTimeField(null=True)
    damage = models.JSONField(default=list)
    damage_count = models.PositiveIntegerField(default=0)
    needed_until = models.DateTimeField(null=True)

    class Meta:
        """Newest first."""

        ordering = ["-taken_at", "-id"]
        indexes = [models.Index(fields=["system", "kind", "-taken_at"])]
        constraints = [
            models.UniqueConstraint(
                fields=["system"], condition=models.Q(baseline=True), name="one_baseline"
            )
        ]


class Construction(models.Model):
    """A snapshot that is being made: what it counts on must not be collected meanwhile.

    previous: what it builds on.
    """

    started_at = models.DateTimeField(auto_now_add=True)
    previous = models.ForeignKey(Record, on_delete=models.PROTECT, null=True, related_name="+")


class Work(models.Model):
    """Something long that a worker does: a backup, a look, or reading backups again.

    of: the backup that is read again; all of the system where None.
    pinned, choice, narrowed: what the backup will be; the system's own choice where that is None.
    schedule: what asked for it; None where a person did.
    attempts: how often a worker has begun it.
    started_at: when it was begun last. expected: how many objects it will have seen, as far as can
        be told from the one before; 0 where it cannot.
    waits: what it waits for; empty where it does not.
    alive_at: when the worker was heard of last.
    """

    class Kind(models.TextChoices):
        """What is made."""

        BACKUP = "backup"
        LOOK = "look"
        VERIFY = "verify"

    class State(models.TextChoices):
        """How far it is."""

        WAITING = "waiting"
        RUNNING = "running"
        DONE = "done"
        FAILED = "failed"
        CANCELLED = "cancelled"

    system = models.ForeignKey(System, on_delete=models.CASCADE, related_name="work")
    kind = models.CharField(max_length=8, choices=Kind.choices)
    at = models.JSONField(default=list)
    note = models.CharField(max_length=400, blank=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    of = models.ForeignKey(Record, on_delete=models.CASCADE, null=True, related_name="verifyings")
    pinned = models.BooleanField(default=False)
    choice = models.JSONField(null=True)
    narrowed = models.BooleanField(default=False)
    schedule = models.ForeignKey(
        Schedule, on_delete=models.SET_NULL, null=True, related_name="work"
    )
    state = models.CharField(max_length=9, choices=State.choices, default=State.WAITING)
    cancel_asked = models.BooleanField(default=False)
    started_at = models.DateTimeField(null=True)
    expected = models.PositiveBigIntegerField(default=0)
    objects_seen = models.PositiveBigIntegerField(default=0)
    waits = models.TextField(blank=True)
    message = models.TextField(blank=True)
    attempts = models.PositiveIntegerField(default=0)
    alive_at = models.DateTimeField(null=True)
    result = models.ForeignKey(Record, on_delete=models.SET_NULL, null=True)
    asked_at = models.DateTimeField(auto_now_add=True)
