"""What people sort by."""

from django.db import models


class PastedList(models.Model):
    """Names or ids that somebody pasted, to see only these; the same list is kept once.

    digest: of the lines. lines: each as the texts it may be known by, the whole line first.
    """

    digest = models.CharField(max_length=64, unique=True)
    lines = models.JSONField()
    made_at = models.DateTimeField(auto_now_add=True)
