"""Sending messages: by mail and as signed calls, again with growing delays where that fails."""

import json
import secrets
import smtplib
import time
from datetime import datetime, timedelta

import httpx
from django.conf import settings
from django.core.mail import EmailMessage, get_connection
from django.db import transaction
from django.utils import timezone

from keepsort.server.logs import log
from keepsort.server.messages.content import content, event
from keepsort.server.messages.models import Message
from keepsort.server.messages.signing import SIGNATURE, STAMP, signature
from keepsort.server.problems import Problem
from keepsort.server.systems.keeping import SIGNING, WrongKey, decrypt
from keepsort.server.systems.models import Receiver

#: After how long each failed try is made again; after the last, it is given up.
DELAYS = tuple(timedelta(minutes=m) for m in (1, 5, 15, 60, 240, 720))
_SECONDS = 10.0
_AT_ONCE = 50
_LEVELS = {
    "stop": "failed or stands still",
    "unknown": "not known",
    "confirm": "look at it",
    "note": "note",
}
_EVENTS = {"raised": "", "cleared": "Over: ", "standing": "", "test": ""}


class NotSent(Exception):
    """A message did not get to its receiver; says why."""


def send_due(now: datetime | None = None) -> int:
    """Send what is due; return how many messages were sent. What fails is tried again later."""
    now = now or timezone.now()
    sent = 0
    for _ in range(_AT_ONCE):
        with transaction.atomic():
            due = Message.objects.select_for_update(skip_locked=True, of=("self",))
            due = due.filter(state=Message.State.WAITING, due_at__lte=now, receiver__paused=False)
            message = due.select_related("receiver").order_by("due_at", "pk").first()
            if message is None:
                break
            sent += _try(message, now)
    return sent


def _try(message: Message, now: datetime) -> int:
    try:
        deliver(message)
    except NotSent as error:
        message.error = str(error)
        message.tries += 1
        if message.tries > len(DELAYS):
            message.state = Message.State.FAILED
        else:
            message.due_at = now + DELAYS[message.tries - 1]
        message.save(update_fields=["error", "tries", "state", "due_at"])
        return 0
    message.state, message.sent_at, message.error = Message.State.SENT, timezone.now(), ""
    message.save(update_fields=["state", "sent_at", "error"])
    return 1


def deliver(message: Message) -> None:
    """Send one message now. Raises `NotSent`."""
    try:
        if message.receiver.way == Receiver.Way.MAIL:
            _mail(message)
        else:
            _call(message)
    except NotSent:
        raise
    except Exception as error:  # whatever a server answers, it is that message's own trouble
        log.error("a message could not be sent", message=message.pk, error=error)
        raise NotSent(f"It failed in a way nobody foresaw ({type(error).__name__}).") from None


def _mail(message: Message) -> None:
    if not settings.EMAIL_HOST:
        raise NotSent("No mail server is set up: start with KEEPSORT_SMTP_URL.")
    mail = EmailMessage(
        f"Keep Sort: {_one_line(message.subject)}", text_of(message), settings.DEFAULT_FROM_EMAIL,
        [message.receiver.address], connection=get_connection(),
    )  # fmt: skip
    try:
        mail.send()
    except smtplib.SMTPRecipientsRefused:
        raise NotSent("The mail server refuses the address.") from None
    except smtplib.SMTPException as error:
        raise NotSent(f"The mail server refuses it ({type(error).__name__}).") from None
    except OSError as error:
        raise NotSent(f"The mail server does not answer: {error}.") from None


def _one_line(text: str) -> str:
    return " ".join(text.split())


def text_of(message: Message) -> str:
    """Write a message as a person reads it."""
    base = settings.PUBLIC_URL.rstrip("/")
    lines = []
    for told in message.content.get("events", []):
        lines.append(f"{_EVENTS.get(told['event'], '')}{told['title']}")
        if told["event"] != "cleared":
            lines[-1] += f" [{_LEVELS.get(told['level'], told['level'])}]"
        lines += [f"    {path}" for path in told["paths"]]
        if base:
            lines.append(f"    {base}{told['place']}")
        lines.append("")
    if not lines:
        lines = ["Nothing wants attention, as far as is known.", ""]
    return "\n".join([*lines, f"Made at {message.content['made_at']} by Keep Sort."])


def _call(message: Message) -> None:
    receiver = message.receiver
    if receiver.lost:
        raise NotSent("What calls are signed with was lost with the key; add the receiver anew.")
    try:
        secret = decrypt(bytes(receiver.secret), SIGNING)
    except WrongKey as error:
        raise NotSent(str(error)) from None
    body = json.dumps(message.content, ensure_ascii=False).encode()
    stamp = str(int(time.time()))
    headers = {
        "Content-Type": "application/json", STAMP: stamp,
        SIGNATURE: f"sha256={signature(secret, stamp, body)}",
        "Keepsort-Message": str(message.pk),
    }  # fmt: skip
    try:
        with (
            httpx.Client(timeout=_SECONDS, follow_redirects=False) as client,
            client.stream("POST", receiver.address, content=body, headers=headers) as answer,
        ):
            status = answer.status_code
    except httpx.HTTPError as error:
        raise NotSent(f"It does not answer: {error or type(error).__name__}.") from None
    except (httpx.InvalidURL, ValueError) as error:
        raise NotSent(f"Its address is none: {error}.") from None
    if not httpx.codes.is_success(status):
        raise NotSent(f"It answers with status {status}.")


def new_secret() -> str:
    """Make a secret to sign calls with; it is shown once."""
    return secrets.token_urlsafe(32)


def send_test(receiver: Receiver) -> None:
    """Send a receiver a test right now. Raises `Problem` with why it did not get there."""
    title = "This is a test of Keep Sort"
    said = content(
        "test", [event("test", level="note", code="test", title=title, place="/")], timezone.now()
    )
    message = Message(receiver=receiver, subject="a test", content=said, pk=0)
    try:
        deliver(message)
    except NotSent as error:
        raise Problem(f"The test did not get there. {error}", status=502) from None
