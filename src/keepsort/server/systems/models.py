"""Systems, where their backups are copied to, who is told of them, and secrets found in them."""

from django.conf import settings
from django.db import models


class Live(models.Manager["System"]):
    """Finds live systems only."""

    def get_queryset(self) -> models.QuerySet["System"]:
        """Leave out what only stands for an opened file."""
        return super().get_queryset().filter(is_file=False)


class System(models.Model):
    """One live system, or what an opened file came from.

    is_file: nothing answers there; it holds what was read from a file, and its secrets.

    password: encrypted with the key of this installation. password_lost: it was encrypted with one
        that is lost, and must be given again.
    sealed_options: those of its options that are secret, encrypted; empty where there are none.
    rules: ignore rules saved for the system, in the form of `core.compare.Rules`.
    former_names: what attributes were called formerly, as list of `core.snapshot.FormerName`.
    importance: what is urgent of it and what minor, as `core.compare.importance.Importance`.
    tags: words that people group systems by.
    choice: what its backups take, in the form of `core.snapshot.Choice`.
    retention: how long its backups are kept, in the form of `core.retention.Policy`.
    remind_days: a newest backup that is older is told, where no schedule says how old it may be.
    verify_days: all that is kept of it is read again when that is so long ago; never if 0.
    """

    name = models.CharField(max_length=80, unique=True)
    connector = models.CharField(max_length=40)
    address = models.CharField(max_length=400)
    options = models.JSONField(default=dict)
    user = models.CharField(max_length=400, blank=True)
    password = models.BinaryField(default=b"")
    password_lost = models.BooleanField(default=False)
    sealed_options = models.BinaryField(default=b"")
    rules = models.JSONField(default=dict)
    former_names = models.JSONField(default=list)
    importance = models.JSONField(default=dict)
    tags = models.JSONField(default=list)
    choice = models.JSONField(default=dict)
    retention = models.JSONField(default=dict)
    remind_days = models.PositiveIntegerField(default=2)
    verify_days = models.PositiveIntegerField(default=7)
    is_file = models.BooleanField(default=False)
    added_at = models.DateTimeField(auto_now_add=True)

    objects = Live()
    every = models.Manager["System"]()

    class Meta:
        """In order of when they were added."""

        ordering = ["id"]

    def __str__(self) -> str:
        return self.name


class CopyPlace(models.Model):
    """A place off the machine that each good backup of a system is copied to.

    password, passphrase: encrypted; where sealed, secrets go into copies, sealed with the
    passphrase; else they are left out. lost: they were encrypted with a key that is lost.
    pattern: what copies are called; see `files.copying`. keep: how many stay there; all if 0.
    since: number of the first backup that belongs there.
    """

    system = models.ForeignKey(System, on_delete=models.CASCADE, related_name="copy_places")
    address = models.CharField(max_length=400)
    options = models.JSONField(default=dict)
    user = models.CharField(max_length=400, blank=True)
    password = models.BinaryField(default=b"")
    passphrase = models.BinaryField(default=b"")
    sealed = models.BooleanField(default=False)
    lost = models.BooleanField(default=False)
    pattern = models.CharField(max_length=120)
    keep = models.PositiveIntegerField(default=0)
    since = models.PositiveBigIntegerField(default=0)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """In order of when they were added."""

        ordering = ["id"]


class Receiver(models.Model):
    """Where a person or a program is told what wants attention.

    person: whose it is; None where it is a program's.
    secret: what calls are signed with, encrypted. lost: with a key that is lost.
    systems: what about; all where there are none.
    least: the least urgent level that is told.
    digest_at: minutes after midnight in `zone` at which all is told at once, once a day; None where
        each thing is told as it comes. digest_on: the last day that was told so.
    """

    class Way(models.TextChoices):
        """How it is told."""

        MAIL = "mail"
        WEBHOOK = "webhook"

    person = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, null=True)
    way = models.CharField(max_length=8, choices=Way.choices)
    address = models.CharField(max_length=400)
    secret = models.BinaryField(default=b"")
    lost = models.BooleanField(default=False)
    systems = models.ManyToManyField(System)
    least = models.CharField(max_length=8, default="confirm")
    digest_at = models.PositiveIntegerField(null=True)
    zone = models.CharField(max_length=60, default="UTC")
    digest_on = models.DateField(null=True)
    paused = models.BooleanField(default=False)
    made_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """In order of when they were made."""

        ordering = ["id"]


class KeptSecret(models.Model):
    """A secret value found in a system, encrypted; the digest stands for it in objects."""

    system = models.ForeignKey(System, on_delete=models.CASCADE)
    digest = models.CharField(max_length=64)
    value = models.BinaryField()

    class Meta:
        """One row a value."""

        constraints = [models.UniqueConstraint(fields=["system", "digest"], name="one_secret")]


class Successor(models.Model):
    """An object that was restored got a new id from its system; this says which was its old one."""

    system = models.ForeignKey(System, on_delete=models.CASCADE, related_name="successors")
    before = models.CharField(max_length=200)
    after = models.CharField(max_length=200)

    class Meta:
        """One row an old id."""

        constraints = [models.UniqueConstraint(fields=["system", "before"], name="one_successor")]


class KeyCheck(models.Model):
    """Which key everything in this database is encrypted with; there is one row.

    value: tells the key from others. next_value: of the key that a rotation is going on to.
    digests: what digests of secrets are made with, encrypted; it outlives the key.
    """

    value = models.CharField(max_length=32)
    next_value = models.CharField(max_length=32, blank=True)
    digests = models.BinaryField()
    since = models.DateTimeField(auto_now=True)
