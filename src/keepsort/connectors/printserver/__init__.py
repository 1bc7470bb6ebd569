"""Print servers that speak the Internet Printing Protocol (CUPS)."""

from keepsort.connectors import options
from keepsort.connectors.base import OptionField
from keepsort.connectors.printserver import own_drivers
from keepsort.connectors.printserver.connector import SHARING, WITH_SETTINGS, open_printserver
from keepsort.connectors.registry import ConnectorType

PRINTSERVER = ConnectorType(
    name="printserver",
    label="print server (IPP)",
    address_help="ipp://host:port or ipps://host:port",
    options=(
        OptionField(
            name="sharing", label="Sharing of what is put back", choices=SHARING,
            default=SHARING[0], per_restore=True,
            help="Whether queues that are put back are shared in the network as they were before.",
        ),
        OptionField(
            name="drivers", label="Drivers of what is put back", choices=own_drivers.CHOICES,
            default=own_drivers.CHOICES[0], per_restore=True,
            help="Whether queues get the driver that they had, or the server's own for that model.",
        ),
        OptionField(
            name="settings", label="The server's settings file", choices=WITH_SETTINGS,
            default=WITH_SETTINGS[0],
            help="Administrators of the server may read and replace it.",
        ),
        options.CA_FILE,
    ),
    open=open_printserver,
)  # fmt: skip
