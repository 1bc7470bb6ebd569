"""Django application."""

from django.apps import AppConfig


class Config(AppConfig):
    """Registers the models."""

    name = "keepsort.server.history"
    label = "history"
    default_auto_field = "django.db.models.BigAutoField"
