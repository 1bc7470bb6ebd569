"""Print servers that speak the Internet Printing Protocol (CUPS)."""

from keepsort.connectors import options
from keepsort.connectors.printserver.connector import open_printserver
from keepsort.connectors.registry import ConnectorType

PRINTSERVER = ConnectorType(
    name="printserver",
    label="print server (IPP)",
    address_help="ipp://host:port or ipps://host:port",
    options=(options.CA_FILE,),
    open=open_printserver,
)
