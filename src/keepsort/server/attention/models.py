"""What was put aside, and what was noticed before."""

from django.conf import settings
from django.db import models

from keepsort.server.systems.models import System


class Aside(models.Model):
    """One thing that somebody has put aside.

    code, stands: which thing, and how it stood then; when it stands otherwise it is back.
    accepted: how it stands is right, somebody has said.
    until: when it is back in any case; None where only a change brings it back.
    """

    system = models.ForeignKey(System, on_delete=models.CASCADE, null=True)
    code = models.CharField(max_length=80)
    stands = models.CharField(max_length=64)
    until = models.DateTimeField(null=True)
    why = models.CharField(max_length=400, blank=True)
    accepted = models.BooleanField(default=False)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Newest first."""

        ordering = ["-id"]


class Noticed(models.Model):
    """One thing that wanted attention when it was last looked for, so that it is told once."""

    system = models.ForeignKey(System, on_delete=models.CASCADE, null=True)
    code = models.CharField(max_length=80)
    stands = models.CharField(max_length=64)
    level = models.CharField(max_length=8)
    title = models.CharField(max_length=300)
    place = models.CharField(max_length=200)
    since = models.DateTimeField(auto_now_add=True)

    class Meta:
        """Oldest first."""

        ordering = ["id"]
