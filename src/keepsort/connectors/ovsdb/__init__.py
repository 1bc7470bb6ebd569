"""Virtual switches and other databases that speak OVSDB (RFC 7047)."""

from keepsort.connectors import options
from keepsort.connectors.base import OptionField
from keepsort.connectors.ovsdb.connector import open_ovsdb
from keepsort.connectors.registry import ConnectorType

OVSDB = ConnectorType(
    name="ovsdb",
    label="virtual switch (OVSDB)",
    address_help="tcp:host:port or ssl:host:port",
    options=(
        OptionField(
            name="database", label="Database", default="Open_vSwitch",
            help="The one that is looked at; a server may have several.",
        ),
        OptionField(
            name="facts", label="Columns that only tell",
            help="Columns that the system sets by itself, as Table.column with commas between. "
            "Those of a virtual switch are known.",
        ),
        OptionField(
            name="secrets", label="Secret keys", default="psk",
            help="Keys in maps whose values are never shown, with commas between.",
        ),
        options.CA_FILE,
        OptionField(
            name="cert_file", label="Client certificate file",
            help="PEM file with the certificate to show, where the server asks for one.",
        ),
        options.KEY_FILE,
        options.KEY_PASSWORD,
    ),
    open=open_ovsdb,
)  # fmt: skip
