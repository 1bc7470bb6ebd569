"""Keeps people from guessing passwords: limits for each account and for each address."""

from datetime import timedelta

from django.conf import settings
from django.http import HttpRequest
from django.utils import timezone

from keepsort.server.accounts.models import FailedSignIn
from keepsort.server.problems import Problem

_WITHIN = timedelta(minutes=5)
_FOR_ACCOUNT, _FROM_ADDRESS = 10, 30


def check(account: str, address: str) -> None:
    """See that there were not too many failures lately. Raises `Problem`."""
    lately = FailedSignIn.objects.filter(at__gt=timezone.now() - _WITHIN)
    if (
        lately.filter(account=account.casefold()).count() >= _FOR_ACCOUNT
        or lately.filter(address=address).count() >= _FROM_ADDRESS
    ):
        minutes = int(_WITHIN.total_seconds() // 60)
        text = "Too many tries with a wrong name or password."
        raise Problem(text, f"Wait {minutes} minutes, then try again.", 429)


def note(account: str, address: str) -> None:
    """Note a failure; those that do not count any more go."""
    FailedSignIn.objects.filter(at__lt=timezone.now() - 2 * _WITHIN).delete()
    FailedSignIn.objects.create(account=account.casefold()[:150], address=address)


def address_of(request: HttpRequest) -> str:
    """Return where a request comes from, as far as our own proxies say so."""
    if settings.PROXIES:
        told = [part.strip() for part in request.headers.get("X-Forwarded-For", "").split(",")]
        if len(told) >= settings.PROXIES:
            return told[-settings.PROXIES][:60]
    return str(request.META.get("REMOTE_ADDR", ""))[:60]
