"""Django application."""

from django.apps import AppConfig


class Config(AppConfig):
    """Registers the models."""

    name = "keepsort.server.messages"
    label = "messages"
    default_auto_field = "django.db.models.BigAutoField"
