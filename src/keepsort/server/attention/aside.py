"""Putting aside what wants attention, for a time or until it changes."""

from datetime import timedelta

from django.utils import timezone

from keepsort.server.accounts.models import User
from keepsort.server.attention.models import Aside
from keepsort.server.attention.ranking import is_known
from keepsort.server.events.notify import tell
from keepsort.server.problems import NotFound
from keepsort.server.systems.models import System


def put_aside(
    system: System | None,
    code: str,
    stands: str,
    why: str,
    hours: int | None,
    by: User | None,
    *,
    accepted: bool = False,
) -> Aside:
    """Put one thing aside: for some hours, or until it changes where None. Raises `NotFound`.

    accepted: how it stands is right, and wants no attention until it stands otherwise.
    """
    number = system.pk if system is not None else None
    if not is_known(number, code, stands):
        raise NotFound("That does not want attention any more, or stands otherwise by now.")
    Aside.objects.filter(system=system, code=code).delete()
    lasts = hours is not None and not accepted
    until = timezone.now() + timedelta(hours=hours or 0) if lasts else None
    made = Aside.objects.create(
        system=system, code=code, stands=stands, why=why, until=until, by=by, accepted=accepted
    )
    tell("record", 0, number or 0)
    return made


def take_up(number: int) -> None:
    """Let something that was put aside want attention again. Raises `NotFound`."""
    found = Aside.objects.filter(pk=number).first()
    if found is None:
        raise NotFound(f"Nothing is put aside by the number {number}.")
    tell("record", 0, found.system_id or 0)
    found.delete()
