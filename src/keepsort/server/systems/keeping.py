"""The key in use: whether it is the right one, what it opens, and changing it for another."""

import os
import secrets
from collections.abc import Iterator
from pathlib import Path

from cryptography.exceptions import InvalidTag
from cryptography.hazmat.primitives.ciphers.aead import AESGCM
from django.conf import settings
from django.contrib.sessions.models import Session
from django.db import transaction

from keepsort.server.keys import NEXT, OLD, check_value, derived, next_key, other_keys
from keepsort.server.locks import Space, alone
from keepsort.server.problems import Problem
from keepsort.server.systems.models import CopyPlace, KeptSecret, KeyCheck, Receiver, System

_NONCE = 12
_STEP = 500
PASSWORD, OPTIONS, VAULT, _DIGESTS = "system password", "system options", "vault", "digests"
_OF_SYSTEMS = {"password": PASSWORD, "sealed_options": OPTIONS}
PLACE, PASSPHRASE = "password of a place", "passphrase of copies"
SIGNING = "signing of calls"
_ADDRESSED: tuple[tuple[type[CopyPlace] | type[Receiver], dict[str, str]], ...] = (
    (CopyPlace, {"password": PLACE, "passphrase": PASSPHRASE}),
    (Receiver, {"secret": SIGNING}),
)
_digest_keys: dict[str, bytes] = {}


class WrongKey(Problem):
    """What is kept encrypted was not encrypted with this installation's key."""


def encrypt(value: bytes, purpose: str, key: bytes | None = None) -> bytes:
    """Encrypt bytes for one purpose (AES-256-GCM, NIST SP 800-38D)."""
    nonce = secrets.token_bytes(_NONCE)
    cipher = AESGCM(derived(key or settings.KEY, purpose))
    return nonce + cipher.encrypt(nonce, value, purpose.encode())


def decrypt(value: bytes, purpose: str) -> bytes:
    """Decrypt bytes. Raises `WrongKey` if they were encrypted with a key that is not there."""
    found = _opened(value, purpose, settings.KEY)
    if found is None:
        others = (_opened(value, purpose, key) for key in other_keys(settings.STATE))
        found = next((one for one in others if one is not None), None)
    if found is None:
        raise WrongKey(
            "What was kept encrypted cannot be read with this installation's key.",
            "Start with the key it was kept with, or give the password or secret anew.",
            409,
        )
    return found


def _opened(value: bytes, purpose: str, key: bytes) -> bytes | None:
    try:
        cipher = AESGCM(derived(key, purpose))
        return cipher.decrypt(value[:_NONCE], value[_NONCE:], purpose.encode())
    except (InvalidTag, ValueError):
        return None


def digest_key() -> bytes:
    """Return what digests of secrets are made with; it stays when the key is changed."""
    own = check_value(settings.KEY)
    if own not in _digest_keys:
        _digest_keys[own] = decrypt(bytes(_row().digests), _DIGESTS)
    return _digest_keys[own]


def _row() -> KeyCheck:
    """Return what is known of the key; the first one that is used is taken down."""
    first = {"value": _first_value, "digests": lambda: encrypt(settings.KEY, _DIGESTS)}
    return KeyCheck.objects.get_or_create(pk=1, defaults=first)[0]


def _first_value() -> str:
    """Return what to take down of the first key, unless it does not open what is there already."""
    system = System.objects.exclude(password=b"").first()
    fits = system is None or not _is_lost(bytes(system.password), PASSWORD)
    return check_value(settings.KEY) if fits else "another"


def check() -> None:
    """See that the key is the one this database is encrypted with. Raises `WrongKey`."""
    row = _row()
    own = check_value(settings.KEY)
    if own in (row.value, row.next_value):
        return
    passwords = System.objects.exclude(password=b"").count()
    kept = KeptSecret.objects.count()
    raise WrongKey(
        "The key is not the one that the secrets in this database are encrypted with. Without it "
        f"the passwords of {passwords} systems and {kept} secrets found in systems cannot be read; "
        "backups, their history and all runs can.",
        "Put the right key back (KEEPSORT_KEY, or the file key in the state folder). If it is lost "
        "for good: keepsort keys accept-loss.",
        503,
    )


def accept_loss() -> tuple[int, int]:
    """Go on with another key; return how many passwords and secrets are lost with the old one.

    A lost password is asked for in Setup, a lost secret where it is to be restored. In
    comparisons, secrets kept before tell as different from then on: nobody knows whether they are.
    """
    passwords, kept = 0, 0
    for system in System.every.all():
        lost = [
            name
            for name, purpose in _OF_SYSTEMS.items()
            if getattr(system, name) and _is_lost(bytes(getattr(system, name)), purpose)
        ]
        if lost:
            if "password" in lost:
                system.password = encrypt(b"", PASSWORD)
            if "sealed_options" in lost:
                system.sealed_options = b""
            system.password_lost = True
            system.save(update_fields=[*lost, "password_lost"])
            passwords += 1
    for model, purposes in _ADDRESSED:
        for one in model.objects.all():
            gone = [
                name
                for name, purpose in purposes.items()
                if getattr(one, name) and _is_lost(bytes(getattr(one, name)), purpose)
            ]
            for name in gone:
                setattr(one, name, encrypt(b"", purposes[name]))
                one.lost = True
            if gone:
                one.save(update_fields=[*gone, "lost"])
                passwords += 1
    for rows in _steps():
        gone_rows = [row.pk for row in rows if _is_lost(bytes(row.value), VAULT)]
        kept += len(gone_rows)
        KeptSecret.objects.filter(pk__in=gone_rows).delete()
    row = _row()
    if _is_lost(bytes(row.digests), _DIGESTS):
        row.digests = encrypt(secrets.token_bytes(32), _DIGESTS)
    row.value, row.next_value = check_value(settings.KEY), ""
    row.save()
    _digest_keys.clear()
    Session.objects.all().delete()
    return passwords, kept


def _is_lost(value: bytes, purpose: str) -> bool:
    try:
        decrypt(value, purpose)
    except WrongKey:
        return True
    return False


def rotate() -> int:
    """Encrypt everything with the next key, and put that in the place of the old one.

    Returns how much was encrypted anew. What ends it in the middle does no harm: what is encrypted
    with either key can be read, and the next call goes on. Processes that still run with the old
    key must be started anew; a call after that takes up what they have written meanwhile, and
    forgets the old key.
    """
    with alone(Space.KEYS, 0) as held:
        if not held:
            raise Problem("The key is being changed right now.", "Wait for it.", 409)
        old = settings.STATE / OLD
        if old.exists() and (settings.STATE / NEXT).exists():
            old.unlink()  # a change that died while it swapped the files; it is gone on with
        if old.exists():
            count = _encrypt_anew(settings.KEY)
            old.unlink()
            return count
        new = next_key(settings.STATE)
        row = _row()
        row.next_value = check_value(new)
        row.save()
        count = _encrypt_anew(new)
        _swap_files()
        KeyCheck.objects.filter(pk=row.pk).update(value=check_value(new), next_value="")
        _digest_keys.clear()
        return count


def is_unfinished() -> bool:
    """Tell whether the old key is still kept, for who may run with it."""
    return bool((settings.STATE / OLD).exists())


def _encrypt_anew(key: bytes) -> int:
    count = 0
    for system in System.every.all():
        with transaction.atomic():
            row = System.every.select_for_update().get(pk=system.pk)
            for name, purpose in _OF_SYSTEMS.items():
                value = _anew(bytes(getattr(row, name)), purpose, key)
                if value is not None:
                    System.every.filter(pk=row.pk).update(**{name: value})
                    count += 1
    for model, purposes in _ADDRESSED:
        for number in list(model.objects.values_list("pk", flat=True)):
            with transaction.atomic():
                held = model.objects.select_for_update().get(pk=number)
                for name, purpose in purposes.items():
                    value = _anew(bytes(getattr(held, name)), purpose, key)
                    if value is not None:
                        model.objects.filter(pk=number).update(**{name: value})
                        count += 1
    for rows in _steps():
        with transaction.atomic():
            changed = []
            for one in KeptSecret.objects.select_for_update().filter(pk__in=[r.pk for r in rows]):
                value = _anew(bytes(one.value), VAULT, key)
                if value is not None:
                    one.value = value
                    changed.append(one)
            KeptSecret.objects.bulk_update(changed, ["value"])
            count += len(changed)
    check_row = _row()
    digests = _anew(bytes(check_row.digests), _DIGESTS, key)
    if digests is not None:
        KeyCheck.objects.filter(pk=check_row.pk).update(digests=digests)
    return count


def _anew(value: bytes, purpose: str, key: bytes) -> bytes | None:
    """Return bytes encrypted with a key; None where they are already, or nothing opens them."""
    if not value or _opened(value, purpose, key) is not None:
        return None
    try:
        return encrypt(decrypt(value, purpose), purpose, key)
    except WrongKey:
        return None


def _steps() -> Iterator[list[KeptSecret]]:
    last = 0
    while rows := list(KeptSecret.objects.filter(pk__gt=last).order_by("pk")[:_STEP]):
        yield rows
        last = rows[-1].pk


def _swap_files() -> None:
    """Put the next key's file in the place of the key file; the old one stays beside it."""
    state: Path = settings.STATE
    if os.environ.get("KEEPSORT_KEY"):
        return  # who gives the key by the environment changes it there
    os.link(state / "key", state / OLD)
    os.replace(state / NEXT, state / "key")
