"""Django settings for the command: what only the web needs is left out, so it starts fast."""

from keepsort.server.settings import *  # noqa: F403
from keepsort.server.settings import INSTALLED_APPS as _ALL

INSTALLED_APPS = [
    app
    for app in _ALL
    if app.startswith("keepsort.") or app in ("django.contrib.contenttypes", "django.contrib.auth")
]
