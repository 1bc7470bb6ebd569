"""What is on its way to those who are told."""

from django.db import models

from keepsort.server.systems.models import Receiver


class Message(models.Model):
    """Something that is told to one receiver.

    content: what it says, in the form that `docs/webhooks.md` describes.
    tries: how often it was sent in vain. due_at: when it is tried next. error: why it failed last.
    """

    class State(models.TextChoices):
        """How far it is."""

        WAITING = "waiting"
        SENT = "sent"
        FAILED = "failed"

    receiver = models.ForeignKey(Receiver, on_delete=models.CASCADE, related_name="messages")
    subject = models.CharField(max_length=300)
    content = models.JSONField()
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    tries = models.PositiveIntegerField(default=0)
    due_at = models.DateTimeField(db_index=True)
    error = models.TextField(blank=True)
    made_at = models.DateTimeField(auto_now_add=True)
    sent_at = models.DateTimeField(null=True)

    class Meta:
        """Newest first."""

        ordering = ["-id"]
