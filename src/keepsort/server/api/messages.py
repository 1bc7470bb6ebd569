"""The views of who is told what wants attention. Only administrators see them."""

from dataclasses import dataclass
from datetime import datetime
from typing import Any, cast

from django.conf import settings
from django.core.exceptions import ValidationError
from django.core.validators import URLValidator, validate_email
from django.shortcuts import get_object_or_404
from django.utils import timezone
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response

from keepsort.server.accounts.models import User
from keepsort.server.api.setup import SetupView
from keepsort.server.api.shapes.base import Shape
from keepsort.server.api.shapes.derived import answer, shape_of
from keepsort.server.attention.items import LEVELS, Level, wanting
from keepsort.server.messages.models import Message
from keepsort.server.messages.sending import new_secret, send_test
from keepsort.server.messages.telling import send_digest
from keepsort.server.problems import Problem
from keepsort.server.schedules.times import checked_zone
from keepsort.server.systems.keeping import SIGNING, encrypt
from keepsort.server.systems.models import Receiver, System


class AskReceiverShape(Shape):
    """Who is told. person: the account it is for; systems: all where there are none.

    digest_at: minutes after midnight in `zone` at which all is told at once; null for each as it
    comes.
    """

    way = serializers.ChoiceField(choices=Receiver.Way.choices)
    address = serializers.CharField(max_length=400)
    person = serializers.IntegerField(allow_null=True, default=None)
    systems = serializers.ListField(child=serializers.IntegerField(), default=list)
    least = serializers.ChoiceField(choices=LEVELS, default="confirm")
    digest_at = serializers.IntegerField(
        allow_null=True, default=None, min_value=0, max_value=24 * 60 - 1
    )
    zone = serializers.CharField(max_length=60, default="UTC")


@dataclass(kw_only=True)
class ReceiverAnswer:
    """Somebody who is told. failed: why the last message did not get there; empty where it did."""

    id: int
    way: Receiver.Way
    address: str
    person: int | None
    person_name: str
    systems: list[int]
    least: Level
    digest_at: int | None
    zone: str
    paused: bool
    lost: bool
    sent: int
    sent_at: datetime | None
    waiting: int
    failed: str
    failed_at: datetime | None
    tried_again_at: datetime | None


@dataclass(kw_only=True)
class MadeReceiverAnswer(ReceiverAnswer):
    """A new one. secret: what calls to it are signed with; it is shown this once."""

    secret: str


@dataclass(kw_only=True)
class PersonAnswer:
    """An account that can be told."""

    id: int
    name: str
    email: str


@dataclass(kw_only=True)
class ReceiversAnswer:
    """Who is told, who could be, and the mail server; empty where there is none."""

    receivers: list[ReceiverAnswer]
    people: list[PersonAnswer]
    mail_server: str
    mail_from: str


class ReceiverChangeShape(Shape):
    """Whether it is told nothing for now."""

    paused = serializers.BooleanField()


def _told(found: Receiver) -> ReceiverAnswer:
    sent = found.messages.filter(state=Message.State.SENT)
    last = sent.order_by("-sent_at").first()
    bad = found.messages.exclude(error="").first()
    if bad is not None and last is not None and last.sent_at and last.sent_at > bad.made_at:
        bad = None
    waits = bad is not None and bad.state == Message.State.WAITING
    return ReceiverAnswer(
        id=found.pk,
        way=Receiver.Way(found.way),
        address=found.address,
        person=found.person_id,
        person_name=found.person.shown_name if found.person else "",
        systems=[one.pk for one in found.systems.all()],
        least=cast(Level, found.least),
        digest_at=found.digest_at,
        zone=found.zone,
        paused=found.paused,
        lost=found.lost,
        sent=sent.count(),
        sent_at=last.sent_at if last else None,
        waiting=found.messages.filter(state=Message.State.WAITING).count(),
        failed=bad.error if bad else "",
        failed_at=bad.made_at if bad else None,
        tried_again_at=bad.due_at if bad is not None and waits else None,
    )


def add_receiver(asked: dict[str, Any]) -> tuple[Receiver, str]:
    """Add somebody who is told; return what calls are signed with too. Raises `Problem`."""
    mail = asked["way"] == Receiver.Way.MAIL
    try:
        if mail:
            validate_email(asked["address"])
        else:
            URLValidator(schemes=["http", "https"])(asked["address"])
    except ValidationError:
        what = "address of mail" if mail else "address of a receiver of calls"
        example = "odell@kelpmoor.example" if mail else "https://host/path"
        raise Problem(f"{asked['address']!r} is no {what}.", f"Write it as {example}.") from None
    secret = "" if mail else new_secret()
    person = asked["person"]
    made = Receiver.objects.create(
        way=asked["way"], address=asked["address"], least=asked["least"],
        digest_at=asked["digest_at"], zone=checked_zone(asked["zone"]),
        person=get_object_or_404(User, pk=person) if person is not None else None,
        secret=encrypt(secret.encode(), SIGNING) if secret else b"",
    )  # fmt: skip
    made.systems.set(System.objects.filter(pk__in=asked["systems"]))
    return made, secret


class Receivers(SetupView):
    """Everybody who is told."""

    @extend_schema(operation_id="receivers", responses=shape_of(ReceiversAnswer))
    def get(self, request: Request) -> Response:
        """List them."""
        people = User.objects.filter(is_active=True)
        return answer(
            ReceiversAnswer(
                receivers=[_told(one) for one in Receiver.objects.all()],
                people=[PersonAnswer(id=p.pk, name=p.shown_name, email=p.email) for p in people],
                mail_server=settings.EMAIL_HOST,
                mail_from=settings.DEFAULT_FROM_EMAIL if settings.EMAIL_HOST else "",
            )
        )

    @extend_schema(
        operation_id="add_receiver",
        request=AskReceiverShape,
        responses={201: shape_of(MadeReceiverAnswer)},
    )
    def post(self, request: Request) -> Response:
        """Add one."""
        data = AskReceiverShape(data=request.data)
        data.is_valid(raise_exception=True)
        made, secret = add_receiver(data.validated_data)
        return answer(MadeReceiverAnswer(**vars(_told(made)), secret=secret), status=201)


class OneReceiver(SetupView):
    """One of them."""

    @extend_schema(
        operation_id="change_receiver",
        request=ReceiverChangeShape,
        responses=shape_of(ReceiverAnswer),
    )
    def patch(self, request: Request, number: int) -> Response:
        """Tell it nothing for now, or go on."""
        found = get_object_or_404(Receiver, pk=number)
        data = ReceiverChangeShape(data=request.data)
        data.is_valid(raise_exception=True)
        found.paused = data.validated_data["paused"]
        found.save(update_fields=["paused"])
        return answer(_told(found))

    @extend_schema(operation_id="remove_receiver", responses={204: None})
    def delete(self, request: Request, number: int) -> Response:
        """Tell it nothing any more."""
        get_object_or_404(Receiver, pk=number).delete()
        return Response(status=204)


class ReceiverTest(SetupView):
    """A test of one of them."""

    @extend_schema(operation_id="test_receiver", request=None, responses={204: None})
    def post(self, request: Request, number: int) -> Response:
        """Send it a test right now, and say so if that did not get there."""
        send_test(get_object_or_404(Receiver, pk=number))
        return Response(status=204)


class ReceiverDigest(SetupView):
    """All that wants attention, for one of them, besides its time."""

    @extend_schema(
        operation_id="send_digest", request=None, responses={202: shape_of(ReceiverAnswer)}
    )
    def post(self, request: Request, number: int) -> Response:
        """Put it on its way."""
        found = get_object_or_404(Receiver, pk=number)
        send_digest(found, wanting(), timezone.now())
        return answer(_told(found), status=202)
