"""Systems, and the secrets found in them."""

from django.db import models


class System(models.Model):
    """One live system.

    password: encrypted with the key of this installation.
    rules: ignore rules saved for the system, in the form of `core.compare.Rules`.
    """

    name = models.CharField(max_length=80, unique=True)
    connector = models.CharField(max_length=40)
    address = models.CharField(max_length=400)
    options = models.JSONField(default=dict)
    user = models.CharField(max_length=400, blank=True)
    password = models.BinaryField(default=b"")
    rules = models.JSONField(default=dict)
    added_at = models.DateTimeField(auto_now_add=True)

    class Meta:
        """In order of when they were added."""

        ordering = ["id"]

    def __str__(self) -> str:
        return self.name


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
