"""Directories that speak LDAP v3 (RFC 4511)."""

from keepsort.connectors import options
from keepsort.connectors.base import OptionField
from keepsort.connectors.directory.connector import open_directory
from keepsort.connectors.directory.naming import COMPOSER
from keepsort.connectors.registry import ConnectorType

DIRECTORY = ConnectorType(
    name="directory",
    label="directory (LDAP)",
    address_help="ldap://host:port or ldaps://host:port",
    options=(
        OptionField(
            name="base", label="Base", required=True,
            help="Distinguished name of the topmost entry, like dc=kelpmoor,dc=example.",
        ),
        OptionField(
            name="starttls", label="StartTLS", choices=("no", "yes"), default="no",
            help="Turn an ldap:// connection into an encrypted one before signing in.",
        ),
        options.CA_FILE,
        OptionField(
            name="secrets", label="Secret attributes", default="userPassword",
            help="Names of attributes whose values are never shown, with commas between.",
        ),
        OptionField(
            name="page_size", label="Entries a page", default="1000",
            help="How many entries to ask for at once (RFC 2696).",
        ),
    ),
    open=open_directory,
    composer=COMPOSER,
)  # fmt: skip
