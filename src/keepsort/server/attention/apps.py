"""Django application."""

from django.apps import AppConfig


class Config(AppConfig):
    """Registers the models."""

    name = "keepsort.server.attention"
    label = "attention"
    default_auto_field = "django.db.models.BigAutoField"
