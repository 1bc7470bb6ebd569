"""Files that were opened, and copies that were put off the machine."""

from django.conf import settings
from django.db import models

from keepsort.server.snapshots.models import Record
from keepsort.server.systems.models import CopyPlace


class OpenedFile(models.Model):
    """What is known of a file that was opened; its record holds the objects.

    form: its format. sha256: of all its bytes.
    told: what the file says of itself: system, connector, software, taken_at, by, note.
    whole: it holds all that is beneath its topmost object; else it says nothing of the rest.
    cells: its values are what a table shows.
    signed_by: the key that it is signed with, in base64; empty where it is not signed.
    secrets: how many secrets it does not tell. passed_over: what in it was not understood.
    keep_until: when it is let go of.
    """

    record = models.OneToOneField(Record, on_delete=models.CASCADE, related_name="file")
    name = models.CharField(max_length=200)
    form = models.CharField(max_length=20)
    size = models.PositiveBigIntegerField()
    sha256 = models.CharField(max_length=64)
    told = models.JSONField(default=dict)
    whole = models.BooleanField(default=False)
    cells = models.BooleanField(default=False)
    signed_by = models.CharField(max_length=60, blank=True)
    secrets = models.PositiveBigIntegerField(default=0)
    passed_over = models.JSONField(default=list)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    opened_at = models.DateTimeField(auto_now_add=True)
    keep_until = models.DateTimeField(db_index=True)

    class Meta:
        """Newest first."""

        ordering = ["-id"]


class Copy(models.Model):
    """A backup that was copied to a place, or that could not be.

    name: what it is called there; empty as long as it is not there. record: None once the backup
    itself is gone. dropped: it was taken away there, to keep only so many.
    failures: how often it was tried in vain. message: why it failed the last time.
    """

    place = models.ForeignKey(CopyPlace, on_delete=models.CASCADE, related_name="copies")
    record = models.ForeignKey(Record, on_delete=models.SET_NULL, null=True, related_name="copies")
    name = models.CharField(max_length=220, blank=True)
    size = models.PositiveBigIntegerField(default=0)
    dropped = models.BooleanField(default=False)
    failures = models.PositiveIntegerField(default=0)
    message = models.TextField(blank=True)
    at = models.DateTimeField(auto_now=True)

    class Meta:
        """Newest first; one of each backup in each place."""

        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["place", "record"], name="one_copy")]
