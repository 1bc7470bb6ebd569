"""Django application."""

from django.apps import AppConfig


class Config(AppConfig):
    """Registers the models."""

    name = "keepsort.server.systems"
    label = "systems"
    default_auto_field = "django.db.models.BigAutoField"
