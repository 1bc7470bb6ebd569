"""Exhibit controllers: lights, sounds and pumps of galleries, over HTTP and JSON."""

from keepsort.connectors.base import OptionField
from keepsort.connectors.exhibits.connector import open_exhibits
from keepsort.connectors.registry import ConnectorType

EXHIBITS = ConnectorType(
    name="exhibits",
    label="exhibit controller (HTTP)",
    address_help="http://host:port or https://host:port; the password is the controller's token",
    options=(
        OptionField(
            name="reserve", label="Calls left alone", default="20",
            help="The work pauses when no more than so many calls of the hour are left, so that "
            "others can still reach the controller.",
        ),
        OptionField(
            name="ca_file", label="CA certificate file",
            help="PEM file with the CA that signed the controller's certificate.",
        ),
    ),
    open=open_exhibits,
)  # fmt: skip
