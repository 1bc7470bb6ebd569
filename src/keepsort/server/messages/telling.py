"""Noticing what is new among what wants attention, and what of it is to be told to whom.

Nothing but titles and places leaves: no value, and no more of an object than its path.
"""

from collections.abc import Sequence
from datetime import datetime, timedelta
from zoneinfo import ZoneInfo

from django.db import transaction
from django.utils import timezone

from keepsort.server.attention.items import LEVELS, Item, wanting
from keepsort.server.attention.models import Noticed
from keepsort.server.locks import Space, alone
from keepsort.server.messages.content import Event, content, event
from keepsort.server.messages.models import Message
from keepsort.server.systems.models import Receiver


def notice(now: datetime | None = None) -> int:
    """Put messages on their way about what is new, what is over, and what is due once a day.

    Returns how many messages that were.
    """
    now = now or timezone.now()
    with alone(Space.MESSAGES, 0) as held:
        if not held:
            return 0
        found = wanting()
        with transaction.atomic():
            return _notice(found, now)


def _notice(found: Sequence[Item], now: datetime) -> int:
    known = {(one.system_id, one.code): one for one in Noticed.objects.select_related("system")}
    new, over = [], []
    here = {(item.system, item.code): item for item in found}
    for key, item in here.items():
        before = known.get(key)
        if before is not None and before.stands == item.stands:
            continue
        if before is not None:
            before.delete()
        Noticed.objects.create(
            system_id=item.system, code=item.code, stands=item.stands, level=item.level,
            title=item.title[:300], place=item.place,
        )  # fmt: skip
        new.append(item)
    for key, before in known.items():
        if key not in here:
            over.append(before)
            before.delete()
    count = 0
    for receiver in Receiver.objects.filter(paused=False).prefetch_related("systems"):
        if receiver.digest_at is None:
            count += _at_once(receiver, new, over, now)
        else:
            count += _digest(receiver, found, now)
    return count


def _at_once(
    receiver: Receiver, new: Sequence[Item], over: Sequence[Noticed], now: datetime
) -> int:
    events = [_event("raised", i) for i in new if is_for(receiver, i.system, i.level)]
    events += [
        event(
            "cleared", level=one.level, code=one.code, title=one.title, place=one.place,
            system=one.system.name if one.system else None,
        )
        for one in over
        if is_for(receiver, one.system_id, one.level)
    ]  # fmt: skip
    if not events:
        return 0
    first = events[0]["title"]
    more = len(events) - 1
    subject = first if not more else f"{first}, and {more} more"
    send(receiver, subject, "events", events, now)
    return 1


def _digest(receiver: Receiver, found: Sequence[Item], now: datetime) -> int:
    local = now.astimezone(ZoneInfo(receiver.zone))
    minute = local.hour * 60 + local.minute
    if receiver.digest_on == local.date() or minute < (receiver.digest_at or 0):
        return 0
    send_digest(receiver, found, now)
    receiver.digest_on = local.date()
    receiver.save(update_fields=["digest_on"])
    return 1


def send_digest(receiver: Receiver, found: Sequence[Item], now: datetime) -> Message:
    """Put on its way all that wants attention; that nothing does is told too."""
    items = [item for item in found if is_for(receiver, item.system, item.level)]
    subject = f"{len(items)} things want attention"
    if len(items) < 2:
        subject = "1 thing wants attention" if items else "Nothing wants attention"
    return send(receiver, subject, "digest", [_event("standing", item) for item in items], now)


def is_for(receiver: Receiver, system: int | None, level: str) -> bool:
    """Tell whether a receiver is told of things of a system, and so urgent."""
    wanted = {one.pk for one in receiver.systems.all()}
    urgent = LEVELS.index(level) <= LEVELS.index(receiver.least)
    return urgent and (not wanted or system is None or system in wanted)


def _event(what: str, item: Item) -> Event:
    return event(
        what, level=item.level, code=item.code, title=item.title, place=item.place,
        system=item.system_name or None, paths=item.paths,
    )  # fmt: skip


def send(
    receiver: Receiver, subject: str, kind: str, events: Sequence[Event], now: datetime
) -> Message:
    """Put a message on its way."""
    said = content(kind, events, now)
    return Message.objects.create(
        receiver=receiver, subject=subject[:300], content=said, due_at=now
    )


def forget_old(now: datetime) -> None:
    """Let go of messages that had their time."""
    old = Message.objects.exclude(state=Message.State.WAITING)
    old.filter(made_at__lt=now - timedelta(days=30)).delete()
