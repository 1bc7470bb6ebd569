"""How the aquarium keeps its systems: schedules, policies, a baseline, and who is told."""

import time
from datetime import datetime, timedelta
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

if TYPE_CHECKING:
    from keepsort.server.systems.models import System

ZONE = "Europe/Oslo"
_WORKER_SECONDS = 30
#: Who sits down to the demo has this long before a backup is made by itself: the newest one would
#: hold the trouble too, and Sort would begin with nothing to put right.
_QUIET = timedelta(hours=12)
#: What backups are remembered by that nobody made by hand.
_NIGHTLY = ("", "nightly")
#: A branch that somebody has taken away today: what keeps it hourly fails since.
LOST = ("Macros", "Turtle feeding")


def taken_at(moment: datetime, note: str) -> datetime:
    """Return when a backup of the last weeks was made: each that nobody noted, in the night."""
    if note not in _NIGHTLY:
        return moment
    local = moment.astimezone(ZoneInfo(ZONE))
    night = local.replace(hour=2, minute=15, second=7, microsecond=0)
    return night if night <= local else night - timedelta(days=1)


def schedule(system: "System") -> None:
    """Let a system be kept each night, and some of it more often; the last weeks were made so."""
    from keepsort.server.accounts.models import User
    from keepsort.server.schedules.services import add_schedule
    from keepsort.server.schedules.times import daily, every
    from keepsort.server.snapshots.models import Record

    odell = User.objects.get(username="odell")
    nightly = add_schedule(system, daily("02:15", ZONE), by=odell)
    made = Record.objects.filter(system=system, kind=Record.Kind.BACKUP, at=[])
    made.filter(note__in=_NIGHTLY).update(schedule=nightly, note="")
    if system.name == "Gateway":
        add_schedule(system, every("6h"), note="config of the day", by=odell)


#: What the aquarium groups its systems by, and what must not wait there.
_TAGS = {
    "People": ["staff"], "Plant": ["life support"], "Gateway": ["life support", "network"],
    "Galleries": ["visitors"], "Lagoon net": ["network"], "Labels": ["office"],
    "Register": ["animals"],
}  # fmt: skip
_URGENT = {"Plant": ("/quarantine/*/interlock",), "People": ("/ou=service",)}
_MINOR = {"Gateway": ("/etc/motd*",)}


def say_what_matters(system: "System") -> None:
    """Say what a system is grouped by, what of it is urgent, and what minor."""
    system.tags = _TAGS.get(system.name, [])
    urgent, minor = _URGENT.get(system.name, ()), _MINOR.get(system.name, ())
    system.importance = {"urgent": list(urgent), "minor": list(minor)}
    system.save(update_fields=["tags", "importance"])


def keep_for_a_time(system: "System") -> None:
    """Let as many backups stay as there are: the next night drops one."""
    from keepsort.core.retention import Policy
    from keepsort.server.retention.services import save_policy
    from keepsort.server.snapshots.baseline import set_baseline
    from keepsort.server.snapshots.models import Record

    made = Record.objects.filter(system=system, kind=Record.Kind.BACKUP)
    good = made.filter(problem_count=0)
    save_policy(system, Policy(good=good.count(), problems=5, monthly=6, zone=ZONE))
    pinned = good.filter(pinned=True).first() or good.first()
    if system.name in ("People", "Galleries") and pinned is not None:
        set_baseline(pinned)


def after_the_trouble(system: "System") -> None:
    """What became of it today: a branch that is kept hourly is gone, so that is overdue.

    What else is kept by itself rests for a while, whatever time of day it is.
    """
    from django.utils import timezone

    from keepsort.server.schedules.models import Schedule
    from keepsort.server.schedules.services import add_schedule, timing_of
    from keepsort.server.schedules.times import coming, every

    now = timezone.now()
    for resting in system.schedules.all():
        later = now + _QUIET
        Schedule.objects.filter(pk=resting.pk).update(
            counts_from=later, next_at=coming(timing_of(resting), later, 1)[0]
        )
    if system.name == "Galleries":
        made = add_schedule(system, every("1h"), LOST, note="before each feeding")
        Schedule.objects.filter(pk=made.pk).update(
            counts_from=now - timedelta(hours=3), next_at=now
        )


def tell_somebody(first: bool) -> None:
    """Send the administrator a digest each morning, and the first one now."""
    from django.utils import timezone

    from keepsort.server.accounts.models import User
    from keepsort.server.attention.items import wanting
    from keepsort.server.heartbeats import has_worker
    from keepsort.server.messages.sending import send_due
    from keepsort.server.messages.telling import send_digest
    from keepsort.server.systems.models import Receiver

    if not first:
        return
    odell = User.objects.get(username="odell")
    now = timezone.now()
    receiver = Receiver.objects.create(
        person=odell, way=Receiver.Way.MAIL, address=odell.email, digest_at=7 * 60, zone=ZONE,
        digest_on=now.date(),
    )  # fmt: skip
    until = time.monotonic() + _WORKER_SECONDS
    while not has_worker() and time.monotonic() < until:
        time.sleep(0.2)
    send_digest(receiver, wanting(), now)
    send_due()
