"""The connectors there are."""

from collections.abc import Callable
from importlib import import_module

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


#: Where each connector is. One is loaded when it is asked for: some bring large libraries along.
_PLACES = {
    "directory": "keepsort.connectors.directory:DIRECTORY",
    "keystore": "keepsort.connectors.keystore:KEYSTORE",
    "hostfiles": "keepsort.connectors.hostfiles:HOSTFILES",
    "exhibits": "keepsort.connectors.exhibits:EXHIBITS",
    "ovsdb": "keepsort.connectors.ovsdb:OVSDB",
    "printserver": "keepsort.connectors.printserver:PRINTSERVER",
    "tables": "keepsort.connectors.tables:TABLES",
}


def connector_types() -> dict[str, ConnectorType]:
    """Return every connector by name."""
    return {name: connector_type(name) for name in _PLACES}


def connector_type(name: str) -> ConnectorType:
    """Return one connector. Raises `Misconfigured`."""
    if name not in _PLACES:
        raise Misconfigured(
            f"There is no connector {name!r}.", f"Choose one of: {', '.join(_PLACES)}."
        )
    module, _, constant = _PLACES[name].partition(":")
    found: ConnectorType = getattr(import_module(module), constant)
    return found
