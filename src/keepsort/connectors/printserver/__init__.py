"""Print servers that speak the Internet Printing Protocol (CUPS)."""

from keepsort.connectors import options
from keepsort.connectors.base import OptionField
from keepsort.connectors.printserver.connector import SHARING, open_printserver
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
        options.CA_FILE,
    ),
    open=open_printserver,
)  # fmt: skip
