"""Django settings for the command: what only the web needs is left out, so it starts fast."""

import os

# what a person at a terminal is to know is printed, not logged
os.environ.setdefault("KEEPSORT_LOG_LEVEL", "ERROR")

from keepsort.server.settings import *  # noqa: F403
from keepsort.server.settings import INSTALLED_APPS as _ALL

_NEEDED = ("django.contrib.contenttypes", "django.contrib.auth", "django.contrib.sessions")
INSTALLED_APPS = [app for app in _ALL if app.startswith("keepsort.") or app in _NEEDED]
