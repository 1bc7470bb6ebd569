"""Schedules."""

from django.conf import settings
from django.db import models
from django.utils import timezone

from keepsort.server.systems.models import System


class Schedule(models.Model):
    """When backups of a system, or of one branch, are made by themselves.

    at: names down to the topmost object; empty for the whole system.
    minutes: every so many minutes; or else cron: a cron expression of five fields.
    zone: the IANA time zone in which the expression is meant.
    choice: what its backups take, in the form of `core.snapshot.Choice`; as the system's if None.
    next_at: when it is due; None while it is paused. counts_from: since when it is as it is; what
        was due before is not missing.
    passed_over_at: when it was due last while the backup before was still being made.
    """

    system = models.ForeignKey(System, on_delete=models.CASCADE, related_name="schedules")
    at = models.JSONField(default=list)
    minutes = models.PositiveIntegerField(null=True)
    cron = models.CharField(max_length=120, blank=True)
    zone = models.CharField(max_length=60, default="UTC")
    note = models.CharField(max_length=300, blank=True)
    choice = models.JSONField(null=True)
    paused = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    made_at = models.DateTimeField(auto_now_add=True)
    counts_from = models.DateTimeField(default=timezone.now)
    next_at = models.DateTimeField(null=True, db_index=True)
    passed_over_at = models.DateTimeField(null=True)

    class Meta:
        """In order of when they were made."""

        ordering = ["id"]
