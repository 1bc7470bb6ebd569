"""People."""

from django.contrib.auth.models import AbstractUser
from django.db import models


class Role(models.TextChoices):
    """What a person may do; each includes those before it."""

    VIEWER = "viewer", "looks"
    OPERATOR = "operator", "backs up and previews"
    RESTORER = "restorer", "restores"
    ADMINISTRATOR = "administrator", "sets up systems and people"


class User(AbstractUser):
    """A person who signs in."""

    role = models.CharField(max_length=16, choices=Role.choices, default=Role.VIEWER)

    def may(self, role: Role) -> bool:
        """Tell whether this person has at least the given role."""
        order = list(Role)
        return self.is_active and order.index(Role(self.role)) >= order.index(role)
