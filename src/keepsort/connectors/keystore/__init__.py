"""Key stores that speak the etcd v3 protocol."""

from keepsort.connectors import options
from keepsort.connectors.base import OptionField
from keepsort.connectors.keystore.connector import open_keystore
from keepsort.connectors.keystore.values import COMPOSER
from keepsort.connectors.registry import ConnectorType

KEYSTORE = ConnectorType(
    name="keystore",
    label="key store (etcd v3)",
    address_help="http://host:port or https://host:port",
    options=(
        OptionField(
            name="prefix", label="Prefix", default="/",
            help="Only keys that begin with this; a slash is put at its end.",
        ),
        options.CA_FILE,
        OptionField(
            name="cert_file", label="Client certificate file",
            help="PEM file with the certificate to sign in with, where the server asks for one.",
        ),
        options.KEY_FILE,
        options.KEY_PASSWORD,
        OptionField(
            name="page_size", label="Keys a page", default="20000",
            help="How many keys to ask for at once.",
        ),
        OptionField(
            name="txn_limit", label="Operations a transaction", default="128",
            help="What the server allows in one transaction (its --max-txn-ops).",
        ),
        OptionField(
            name="txn_bytes", label="Bytes a transaction", default="1048576",
            help="Somewhat less than what the server takes in one message (its "
            "--max-request-bytes).",
        ),
    ),
    open=open_keystore,
    composer=COMPOSER,
)  # fmt: skip
