"""Being told: over a real mail server and a real receiver of calls, each with its own troubles."""

import asyncio
import hmac
import json
import threading
import time
from collections.abc import Iterator
from datetime import timedelta
from email import message_from_bytes
from email.policy import default
from hashlib import sha256
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from itertools import pairwise
from typing import Any

import pytest
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import Envelope
from django.test import Client
from django.utils import timezone

from keepsort.server.accounts.models import Role, User
from keepsort.server.api.messages import add_receiver
from keepsort.server.attention.aside import put_aside, take_up
from keepsort.server.attention.items import items, wanting
from keepsort.server.messages.models import Message
from keepsort.server.messages.sending import DELAYS, send_due, send_test
from keepsort.server.messages.telling import notice
from keepsort.server.problems import Problem
from keepsort.server.snapshots.models import Record
from keepsort.server.systems.models import Receiver, System
from serving.processes import free_port
from tests.server.records import a_system, keep
from tests.server.test_history import grown, thing

pytestmark = pytest.mark.django_db(transaction=True)


class Mailbox:
    """Takes mail, unless it is told to refuse it."""

    def __init__(self) -> None:
        self.mail: list[Any] = []
        self.answer = "250 OK"

    async def handle_DATA(self, server: Any, session: Any, envelope: Envelope) -> str:
        await asyncio.sleep(0)
        if self.answer.startswith("250"):
            content = envelope.content
            assert isinstance(content, bytes)
            self.mail.append(message_from_bytes(content, policy=default))
        return self.answer


@pytest.fixture
def mailbox(settings: Any) -> Iterator[Mailbox]:
    box = Mailbox()
    server = Controller(box, hostname="127.0.0.1", port=free_port())
    server.start()
    settings.EMAIL_BACKEND = "django.core.mail.backends.smtp.EmailBackend"
    settings.EMAIL_HOST, settings.EMAIL_PORT = "127.0.0.1", server.port
    settings.PUBLIC_URL = "https://keepsort.kelpmoor.example"
    yield box
    server.stop()


class Calls:
    """Takes calls; `status` is what it answers next."""

    def __init__(self, port: int) -> None:
        self.address = f"http://127.0.0.1:{port}/hook"
        self.taken: list[tuple[dict[str, str], bytes]] = []
        self.status = 204


@pytest.fixture
def calls() -> Iterator[Calls]:
    class Handler(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers["Content-Length"]))
            found.taken.append((dict(self.headers), body))
            self.send_response(found.status)
            self.send_header("Location", "http://127.0.0.1:1/elsewhere")
            self.end_headers()

        def log_message(self, *_: object) -> None:
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    found = Calls(server.server_port)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield found
    server.shutdown()


def receiver(way: str, address: str, **asked: Any) -> tuple[Receiver, str]:
    told = {"person": None, "systems": [], "least": "confirm", "digest_at": None, "zone": "UTC"}
    return add_receiver({"way": way, "address": address, **told, **asked})


def differing() -> System:
    """A system whose live state differs, with values that are nobody's business."""
    system = a_system()
    keep(system, grown((("gate",), thing("gate", title="sesame-open"))))
    keep(system, grown((("gate",), thing("gate", title="sesame-shut"))), kind=Record.Kind.LOOK)
    return system


def test_what_is_new_is_told_once_and_signed(calls: Calls, mailbox: Mailbox) -> None:
    hook, secret = receiver("webhook", calls.address)
    receiver("mail", "odell@kelpmoor.example")
    differing()
    assert notice() == 2
    assert send_due() == 2
    assert notice() == 0, "told once"
    [(headers, body)] = calls.taken
    # what a receiver does, written from the description
    signed = hmac.new(secret.encode(), headers["Keepsort-Timestamp"].encode() + b"." + body, sha256)
    assert headers["Keepsort-Signature"] == f"sha256={signed.hexdigest()}"
    assert abs(time.time() - int(headers["Keepsort-Timestamp"])) < 30
    content = json.loads(body)
    assert content["kind"] == "events"
    event = next(one for one in content["events"] if one["code"] == "differs")
    assert (event["event"], event["system"], event["paths"]) == ("raised", "Plant", ["/gate"])
    [mail] = mailbox.mail
    assert mail["To"] == "odell@kelpmoor.example"
    text = mail.get_content()
    assert "Plant: live differs from the newest backup" in text
    assert "https://keepsort.kelpmoor.example/sort/" in text
    for said in (body.decode(), text, mail["Subject"]):
        assert "sesame" not in said, "no value leaves"
    # and that it is over is told too
    keep(System.objects.get(), grown((("gate",), thing("gate", title="sesame-shut"))))
    assert notice() == 2
    send_due()
    over = json.loads(calls.taken[-1][1])["events"]
    assert ("cleared", "differs") in [(e["event"], e["code"]) for e in over]
    assert not hook.messages.exclude(state=Message.State.SENT)


def test_what_does_not_get_there_is_tried_again_later_and_later(calls: Calls) -> None:
    hook, _ = receiver("webhook", calls.address)
    differing()
    notice()
    now = timezone.now()
    for answer, said in ((500, "status 500"), (302, "status 302"), (404, "status 404")):
        calls.status = answer
        assert send_due(now) == 0
        message = hook.messages.get()
        assert said in message.error
        assert send_due(now) == 0
        assert len(calls.taken) == message.tries, "not before its time"
        now = message.due_at
    waits = [b - a for a, b in pairwise(DELAYS)]
    assert all(wait > timedelta(0) for wait in waits), "delays grow"
    calls.status = 204
    assert send_due(now) == 1
    # given up after the last delay, which wants attention itself
    calls.status = 503
    send = Message.objects.create(
        receiver=hook, subject="x", content={"made_at": "", "events": []}, due_at=now
    )
    for _ in range(len(DELAYS) + 1):
        send.refresh_from_db()
        send_due(send.due_at)
    send.refresh_from_db()
    assert send.state == Message.State.FAILED
    assert "message-failed" in [item.code for item in items()]


def test_a_digest_comes_once_a_day_on_the_clocks_of_its_zone(mailbox: Mailbox) -> None:
    plant = differing()
    other = a_system("Other")
    odell, _ = receiver(
        "mail", "odell@kelpmoor.example", digest_at=7 * 60, zone="Europe/Oslo", systems=[plant.pk]
    )
    day = timezone.now().replace(hour=0, minute=0, second=0, microsecond=0)
    assert notice(day + timedelta(hours=4)) == 0
    assert notice(day + timedelta(hours=8)) == 1
    assert notice(day + timedelta(hours=9)) == 0
    assert notice(day + timedelta(days=1, hours=8)) == 1
    assert send_due(day + timedelta(days=2)) == 2
    text = mailbox.mail[0].get_content()
    assert "Plant:" in text
    assert "Other:" not in text, other
    assert mailbox.mail[0]["Subject"].startswith("Keep Sort: ")
    odell.paused = True
    odell.save()
    assert notice(day + timedelta(days=3, hours=8)) == 0


def test_a_mail_server_that_refuses_or_is_not_there(mailbox: Mailbox, settings: Any) -> None:
    odell, _ = receiver("mail", "odell@kelpmoor.example")
    send_test(odell)
    assert "test" in mailbox.mail[0]["Subject"]
    mailbox.answer = "554 no\r\n"
    with pytest.raises(Problem, match="refuses it"):
        send_test(odell)
    settings.EMAIL_PORT = free_port()
    with pytest.raises(Problem, match="does not answer"):
        send_test(odell)
    settings.EMAIL_HOST = ""
    with pytest.raises(Problem, match="KEEPSORT_SMTP_URL"):
        send_test(odell)


def test_addresses_that_are_none_are_refused_and_secrets_shown_once(calls: Calls) -> None:
    for way, bad in (
        ("mail", "odell"), ("mail", "a@b\nBcc: x@y.example"), ("webhook", "file:///etc/passwd"),
        ("webhook", "host"), ("webhook", "ftp://host/x"),
    ):  # fmt: skip
        with pytest.raises(Problem, match="is no address"):
            receiver(way, bad)
    client = Client()
    client.force_login(User.objects.create_user("admin", role=Role.ADMINISTRATOR))
    asked = {"way": "webhook", "address": calls.address}
    made = client.post("/api/v1/receivers", asked, content_type="application/json").json()
    assert len(made["secret"]) >= 32
    listed = client.get("/api/v1/receivers").content.decode()
    assert made["secret"] not in listed
    assert made["secret"].encode() not in bytes(Receiver.objects.get().secret)
    assert client.post(f"/api/v1/receivers/{made['id']}/test").status_code == 204
    assert len(calls.taken) == 1
    calls.status = 500
    answer = client.post(f"/api/v1/receivers/{made['id']}/test")
    assert answer.status_code == 502
    assert "status 500" in answer.json()["error"]


def test_what_is_put_aside_is_back_when_it_changes_or_its_time_is_over() -> None:
    system = differing()
    person = User.objects.create_user("gull", first_name="Piet", last_name="Gull")
    [item] = [one for one in items() if one.code == "differs"]
    put_aside(system, "differs", item.stands, "known, in work", None, person)
    [aside] = [one for one in items() if one.code == "differs"]
    assert aside.aside is not None
    assert (aside.aside.by, aside.aside.why) == ("Piet Gull", "known, in work")
    assert "differs" not in [one.code for one in wanting()]
    keep(system, grown((("gate",), thing("gate", title="ajar"))), kind=Record.Kind.LOOK)
    [back] = [one for one in wanting() if one.code == "differs"]
    with pytest.raises(Problem, match="stands otherwise"):
        put_aside(system, "differs", item.stands, "", None, person)
    made = put_aside(system, "differs", back.stands, "", 2, person)
    assert "differs" not in [one.code for one in wanting()]
    made.until = timezone.now() - timedelta(seconds=1)
    made.save()
    assert "differs" in [one.code for one in wanting()]
    take_up(made.pk)
    with pytest.raises(Problem):
        take_up(made.pk)
