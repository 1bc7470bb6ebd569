"""Plans, runs and their journal."""

from django.conf import settings
from django.db import models

from keepsort.server.snapshots.models import Record
from keepsort.server.systems.models import System


class PlanRecord(models.Model):
    """A plan that was previewed.

    content: the steps and findings (`core.plan.Plan`), in MessagePack.
    rendered: the protocol text of each step.
    summary: what the preview says in one sentence, as numbers.
    picks, policy, terms: what it was made of, and what the two were compared by.
    takes_back: numbers of the steps of the run it undoes; all of them where None.
    chosen: options of the connector for this restore, instead of those of the system.
    predicted: address of the topmost page of the tree as it will be.
    """

    system = models.ForeignKey(System, on_delete=models.CASCADE)
    backup = models.ForeignKey(Record, on_delete=models.SET_NULL, null=True, related_name="+")
    look = models.ForeignKey(Record, on_delete=models.PROTECT, related_name="plans")
    undoes = models.ForeignKey(
        "Run", on_delete=models.SET_NULL, null=True, related_name="undone_by"
    )
    takes_back = models.JSONField(null=True)
    picks = models.JSONField(default=list)
    policy = models.CharField(max_length=12, default="overwrite")
    terms = models.JSONField(default=dict)
    chosen = models.JSONField(default=dict)
    content = models.BinaryField()
    rendered = models.JSONField(default=list)
    summary = models.JSONField(default=dict)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    made_at = models.DateTimeField(auto_now_add=True)


class Run(models.Model):
    """A plan being carried out, and its outcome.

    outcome: ``verified`` if every step was done and read back as planned, ``unchanged`` if live was
        so already and nothing was written, ``partial`` if some were done, ``failed`` if none was,
        ``cancelled`` if a person stopped it, ``unknown`` as long as nobody could see what became of
        a step, since the system does not answer.
    waits: what it waits for; empty where it does not.
    wait_minutes: how long it waits for its system. waits_since: since when it does.
    retry_at: when the system, or what is left to do after the run, is tried again.
    entries: counts how often its journal was written.
    lease: counts who has carried it out; only the newest may write its journal.
    attempts: how often it was taken up and not given back in order.
    alive_at: when who carries it out was heard of last.
    standing: what the run has altered in the system for its own sake, as it stood before; None
        where nothing is to be put back.
    report: what the system said when the run ended.
    """

    class State(models.TextChoices):
        """How far it is."""

        WAITING = "waiting"
        RUNNING = "running"
        FINISHED = "finished"

    class OnFailure(models.TextChoices):
        """What happens to steps that do not depend on a failed one."""

        STOP = "stop"
        GO_ON = "go-on"

    system = models.ForeignKey(System, on_delete=models.CASCADE, related_name="runs")
    plan = models.ForeignKey(PlanRecord, on_delete=models.PROTECT, related_name="runs")
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    outcome = models.CharField(max_length=10, blank=True)
    on_failure = models.CharField(max_length=5, choices=OnFailure.choices, default=OnFailure.STOP)
    cancel_asked = models.BooleanField(default=False)
    confirmed = models.JSONField(default=list)
    message = models.TextField(blank=True)
    waits = models.TextField(blank=True)
    wait_minutes = models.PositiveIntegerField(default=10)
    waits_since = models.DateTimeField(null=True)
    retry_at = models.DateTimeField(null=True)
    entries = models.PositiveBigIntegerField(default=0)
    lease = models.PositiveBigIntegerField(default=0)
    attempts = models.PositiveIntegerField(default=0)
    alive_at = models.DateTimeField(null=True)
    standing = models.JSONField(null=True)
    report = models.JSONField(default=list)
    after = models.ForeignKey(Record, on_delete=models.SET_NULL, null=True, related_name="+")
    by = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.SET_NULL, null=True)
    started_at = models.DateTimeField(auto_now_add=True)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        """Newest first; one a system at a time."""

        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(
                fields=["system"], condition=~models.Q(state="finished"), name="one_unfinished_run"
            )
        ]


class RunStep(models.Model):
    """One line of a run's journal.

    already: live was as the step leaves it. wrote: it may have been written, so that an undo has to
    do with it. found: what was read back where that is not as planned. report: what the system
    said. tries: how often it was begun. entry: the entry of the journal that changed it last.
    """

    class State(models.TextChoices):
        """In doubt is written before the system is called, so that a crash leaves a trace.

        Differs: it was written, and read back differently.
        """

        WAITING = "waiting"
        IN_DOUBT = "in doubt"
        DONE = "done"
        DIFFERS = "differs"
        FAILED = "failed"
        CONFLICT = "conflict"
        SKIPPED = "skipped"

    run = models.ForeignKey(Run, on_delete=models.CASCADE, related_name="steps")
    number = models.PositiveIntegerField()
    state = models.CharField(max_length=8, choices=State.choices, default=State.WAITING)
    already = models.BooleanField(default=False)
    wrote = models.BooleanField(default=False)
    found = models.BinaryField(null=True)
    message = models.TextField(blank=True)
    report = models.TextField(blank=True)
    tries = models.PositiveIntegerField(default=0)
    entry = models.PositiveBigIntegerField(default=0)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        """In the order of the plan."""

        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["run", "number"], name="one_line_a_step")]
