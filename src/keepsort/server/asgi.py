"""The ASGI application that uvicorn serves."""

import os
import sys
from threading import Thread

from asgiref.sync import sync_to_async
from django.core.asgi import get_asgi_application

from keepsort.server.limits import limited

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "keepsort.server.settings")
os.environ.setdefault("KEEPSORT_POOLED", "yes")
_django = get_asgi_application()

from django.conf import settings  # noqa: E402 - there are none before
from django.contrib.auth import SESSION_KEY  # noqa: E402
from django.contrib.sessions.models import Session  # noqa: E402
from django.db import DatabaseError, close_old_connections, connection  # noqa: E402
from django.utils import timezone  # noqa: E402

from keepsort.server.systems.keeping import WrongKey, check  # noqa: E402


def _refused() -> str:
    """Return why nothing is served: because of a wrong key. Asked in a thread of its own, since
    the server's event loop runs in this one.
    """
    told: list[str] = []

    def ask() -> None:
        try:
            check()
        except WrongKey as error:
            told.append(str(error))
        except DatabaseError:
            pass  # requests say so themselves, and it may come back
        finally:
            connection.close()

    thread = Thread(target=ask)
    thread.start()
    thread.join()
    return told[0] if told else ""


if _why := _refused():
    sys.exit(f"keepsort: {_why}")


@sync_to_async
def _is_session(key: str) -> bool:
    """Tell whether somebody is signed in with a session of this key."""
    close_old_connections()
    found = Session.objects.filter(session_key=key, expire_date__gt=timezone.now()).first()
    return found is not None and SESSION_KEY in found.get_decoded()


application = limited(_django, settings.SESSION_COOKIE_NAME, _is_session)  # type: ignore[arg-type]
