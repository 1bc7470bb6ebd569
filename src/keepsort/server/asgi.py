"""The ASGI application that uvicorn serves."""

import os

from django.core.asgi import get_asgi_application

from keepsort.server.limits import limited

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "keepsort.server.settings")
os.environ.setdefault("KEEPSORT_POOLED", "yes")
_django = get_asgi_application()

from django.conf import settings  # noqa: E402 - there are none before

application = limited(
    _django,  # type: ignore[arg-type]
    settings.SESSION_COOKIE_NAME,
)
