"""People."""

from typing import Any, ClassVar

from django.contrib.auth.models import AbstractUser, UserManager
from django.contrib.auth.password_validation import validate_password
from django.db import models


class Role(models.TextChoices):
    """What a person may do; each includes those before it."""

    VIEWER = "viewer", "looks"
    OPERATOR = "operator", "backs up and previews"
    RESTORER = "restorer", "restores"
    ADMINISTRATOR = "administrator", "sets up systems and people"


class People(UserManager["User"]):
    """Makes people; the first one is made with `createsuperuser`."""

    def create_superuser(
        self,
        username: str,
        email: str | None = None,
        password: str | None = None,
        **extra_fields: Any,
    ) -> "User":
        """Make an administrator. Raises ValidationError if the password is too weak."""
        extra_fields.setdefault("role", Role.ADMINISTRATOR)
        if password is not None:
            validate_password(password)
        return super().create_superuser(username, email, password, **extra_fields)


class User(AbstractUser):
    """A person who signs in."""

    objects: ClassVar[People] = People()

    role = models.CharField(max_length=16, choices=Role.choices, default=Role.VIEWER)

    @property
    def shown_name(self) -> str:
        """The whole name, or where none was given, the name to sign in with."""
        return self.get_full_name() or self.username

    def may(self, role: Role) -> bool:
        """Tell whether this person has at least the given role."""
        order = list(Role)
        return self.is_active and order.index(Role(self.role)) >= order.index(role)


class FailedSignIn(models.Model):
    """A try to sign in that failed; kept as long as it counts against others."""

    account = models.CharField(max_length=150, db_index=True)
    address = models.CharField(max_length=60, db_index=True)
    at = models.DateTimeField(auto_now_add=True, db_index=True)
