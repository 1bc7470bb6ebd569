"""The connectors there are."""

from collections.abc import Callable

import msgspec

from keepsort.connectors.base import Connector, Endpoint, OptionField, SecretKeeper
from keepsort.connectors.errors import Misconfigured
from keepsort.core.plan import PLAIN, Composer


class ConnectorType(msgspec.Struct, frozen=True):
    """A connector as it is offered when a system is added.

    composer: knows how its objects hold parts, where they do.
    """

    name: str
    label: str
    address_help: str
    options: tuple[OptionField, ...]
    open: Callable[[Endpoint, SecretKeeper], Connector]
    composer: Composer = PLAIN


def connector_types() -> dict[str, ConnectorType]:
    """Return every connector by name."""
    from keepsort.connectors.directory import DIRECTORY
    from keepsort.connectors.exhibits import EXHIBITS
    from keepsort.connectors.hostfiles import HOSTFILES
    from keepsort.connectors.keystore import KEYSTORE

    return {t.name: t for t in (DIRECTORY, KEYSTORE, HOSTFILES, EXHIBITS)}


def connector_type(name: str) -> ConnectorType:
    """Return one connector. Raises `Misconfigured`."""
    types = connector_types()
    if name not in types:
        raise Misconfigured(
            f"There is no connector {name!r}.", f"Choose one of: {', '.join(types)}."
        )
    return types[name]
