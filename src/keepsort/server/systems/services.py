"""Adding systems, and opening the way to them."""

from collections.abc import Iterator, Mapping
from contextlib import contextmanager

import msgspec
from django.db import IntegrityError, transaction
from django.db.models import Max

from keepsort.connectors.base import Connector, Description, Endpoint, Learning, OptionField
from keepsort.connectors.registry import ConnectorType, connector_type
from keepsort.core.plan import Composer
from keepsort.server.caching import Kept
from keepsort.server.pooling import give_back
from keepsort.server.problems import NotFound, Problem
from keepsort.server.systems.keeping import OPTIONS, PASSWORD, decrypt, encrypt
from keepsort.server.systems.models import Successor, System
from keepsort.server.systems.slots import slot
from keepsort.server.systems.vault import Vault


def checked(name: str, connector: str, options: Mapping[str, str]) -> ConnectorType:
    """Return the type of a connector if name and options are right for it.

    Raises `Misconfigured` or `Problem`.
    """
    kind = connector_type(connector)
    known = {o.name: o for o in kind.options}
    unknown = options.keys() - known.keys()
    if unknown:
        raise Problem(
            f"The {connector} connector has no option {', '.join(sorted(unknown))}.",
            f"It has: {', '.join(known)}.",
        )
    wanting = [o.name for o in kind.options if o.required and not options.get(o.name)]
    if wanting:
        raise Problem(
            f"The {connector} connector needs the option {', '.join(wanting)}.",
            f"Give --option {wanting[0]}=….",
        )
    for name_of, value in options.items():
        choices = known[name_of].choices
        if choices and value and value not in choices:
            raise Problem(
                f"{name_of} cannot be {value!r}.", f"Choose one of: {', '.join(choices)}."
            )
    if not name.strip():
        raise Problem("A system needs a name.", "Give it one.")
    return kind


def add_system(
    name: str, connector: str, address: str, options: dict[str, str], user: str, password: str
) -> System:
    """Add a system; it is not contacted. Raises `Misconfigured` or `Problem`."""
    checked(name, connector, options)
    plain, secret = divided(connector, options)
    system = System(
        name=name.strip(), connector=connector, address=address, options=plain, user=user,
        password=encrypt(password.encode(), PASSWORD), sealed_options=_sealed(secret),
    )  # fmt: skip
    _save(system)
    return system


def change_system(
    system: System,
    name: str,
    address: str,
    options: dict[str, str],
    user: str,
    password: str | None,
) -> None:
    """Change how a system is reached.

    password: None keeps the one there is; so does a secret option that is not given.
    """
    checked(name, system.connector, options)
    plain, secret = divided(system.connector, options)
    system.name, system.address, system.options, system.user = name.strip(), address, plain, user
    if secret:
        system.sealed_options = _sealed(secret_options(system) | secret)
    if password is not None:
        system.password_lost = False
        system.password = encrypt(password.encode(), PASSWORD)
    _save(system)


def divided(connector: str, options: Mapping[str, str]) -> tuple[dict[str, str], dict[str, str]]:
    """Return the options of a connector that anybody may see, and those that are secret."""
    secret = {one.name for one in connector_type(connector).options if one.secret}
    return (
        {name: value for name, value in options.items() if name not in secret},
        {name: value for name, value in options.items() if name in secret and value},
    )


def secret_options(system: System) -> dict[str, str]:
    """Return the secret options of a system, in the clear."""
    if not system.sealed_options:
        return {}
    kept = decrypt(bytes(system.sealed_options), OPTIONS)
    return msgspec.json.decode(kept, type=dict[str, str])


def _sealed(secret: Mapping[str, str]) -> bytes:
    return encrypt(msgspec.json.encode(secret), OPTIONS) if secret else b""


def _save(system: System) -> None:
    try:
        with transaction.atomic():
            system.save()
    except IntegrityError:
        raise Problem(
            f"There is a system {system.name!r} already.", "Choose another name.", 409
        ) from None


def endpoint_of(system: System) -> Endpoint:
    """Return how a system is reached, its password in the clear."""
    password = decrypt(bytes(system.password), PASSWORD).decode()
    return Endpoint(
        address=system.address, options={**system.options, **secret_options(system)},
        user=system.user, password=password,
    )  # fmt: skip


def find_system(name: str) -> System:
    """Return the system of that name, letter case aside. Raises `NotFound`."""
    found = System.objects.filter(name__iexact=name).first()
    if found is None:
        names = ", ".join(System.objects.values_list("name", flat=True)) or "none yet"
        raise NotFound(f"There is no system {name!r}.", f"Systems: {names}.")
    return found


_NOTHING: Mapping[str, str] = {}


@contextmanager
def opened(system: System, chosen: Mapping[str, str] = _NOTHING) -> Iterator[Connector]:
    """Open a connector to the live system; what secrets it met are kept when it closes.

    chosen: options for one restore, instead of those of the system.
    """
    if system.password_lost:
        raise Problem(
            f"The password of {system} was lost with the key that it was encrypted with.",
            "An administrator can give it again in Setup.",
            409,
        )
    vault = Vault(system)
    endpoint = endpoint_of(system)
    if chosen:
        endpoint = msgspec.structs.replace(endpoint, options={**endpoint.options, **chosen})
    give_back()
    with slot(system.pk, system.name):
        connector = connector_type(system.connector).open(endpoint, vault)
        try:
            yield connector
            vault.flush()
            if isinstance(connector, Learning) and connector.learned:
                system.options = {**system.options, **connector.learned}
                system.save(update_fields=["options"])
        finally:
            connector.close()


def choices_of(system: System) -> list[OptionField]:
    """Return what can be chosen for one restore to a system."""
    return [one for one in connector_type(system.connector).options if one.per_restore]


def checked_choices(system: System, chosen: Mapping[str, str]) -> dict[str, str]:
    """Return what was chosen for a restore. Raises `Problem` where it cannot be."""
    known = {one.name: one for one in choices_of(system)}
    for name, value in chosen.items():
        if name not in known or value not in known[name].choices:
            raise Problem(
                f"{name}={value} cannot be chosen for a restore to {system}.",
                "; ".join(f"{o.name}: {', '.join(o.choices)}" for o in known.values()),
            )
    return dict(chosen)


def composer_of(system: System) -> Composer:
    """Return what knows how the objects of a system hold parts."""
    return connector_type(system.connector).composer


def try_connection(system: System) -> Description:
    """Ask the live system what it is."""
    with opened(system) as connector:
        return connector.describe()


def newest_successor(system: System) -> int:
    """Return a number that grows with each object that is restored under another id."""
    found = Successor.objects.filter(system=system).aggregate(newest=Max("pk"))
    return found["newest"] or 0


def successors(system: System) -> Mapping[str, str]:
    """Return the ids that objects had, each with the id of its restored object."""
    rows = Successor.objects.filter(system=system).values_list("before", "after")
    return _successors.of((system.pk, newest_successor(system)), lambda: dict(rows))


def remember_successor(system: System, before: str, after: str) -> None:
    """Note that the object with id `after` stands for the one that had id `before`."""
    earlier = Successor.objects.filter(system=system, before=before).first()
    if earlier is not None and earlier.after != after:
        remember_successor(system, earlier.after, after)
    if before != after and (earlier is None or earlier.after != after):
        with transaction.atomic():  # a new row, so that `newest_successor` grows
            Successor.objects.filter(system=system, before=before).delete()
            Successor.objects.create(system=system, before=before, after=after)


_successors: Kept[tuple[int, int], Mapping[str, str]] = Kept(32 << 20, lambda m: 200 * len(m), 3600)
