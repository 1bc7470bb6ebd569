"""Reads the options of a system, the same way for every connector."""

import ssl

from keepsort.connectors.base import Endpoint, OptionField
from keepsort.connectors.errors import Misconfigured

#: Fields that connectors share.
CA_FILE = OptionField(
    name="ca_file", label="CA certificate file",
    help="PEM file with the CA that signed the server's certificate; the machine's own "
    "CAs where empty.",
)  # fmt: skip
KEY_FILE = OptionField(
    name="key_file", label="Client key file",
    help="PEM file with the key of the client certificate.",
)  # fmt: skip
KEY_PASSWORD = OptionField(
    name="key_password", label="Password of the key file", secret=True,
    help="Where the client key file is encrypted.",
)  # fmt: skip


def number(endpoint: Endpoint, name: str, default: int, least: int = 0) -> int:
    """Return a whole number of at least `least`; the default where it is empty.

    Raises `Misconfigured`.
    """
    text = endpoint.options.get(name) or str(default)
    if not (text.isascii() and text.isdigit()) or int(text) < least:
        raise Misconfigured(f"{name} is {text!r}, which is no number of at least {least}.")
    return int(text)


def listed(endpoint: Endpoint, name: str, default: str = "") -> tuple[str, ...]:
    """Return what is written with commas between, spaces around it aside."""
    text = endpoint.options.get(name) or default
    return tuple(part.strip() for part in text.split(",") if part.strip())


def one_of(endpoint: Endpoint, name: str, choices: tuple[str, ...]) -> str:
    """Return which of some words was chosen; the first where none was. Raises `Misconfigured`."""
    text = endpoint.options.get(name) or choices[0]
    if text not in choices:
        raise Misconfigured(f"{name} is {text!r}.", f"Choose one of: {', '.join(choices)}.")
    return text


def lines(endpoint: Endpoint, name: str) -> list[str]:
    """Return the lines of a text that hold something, spaces around them aside."""
    text = endpoint.options.get(name, "")
    return [line.strip() for line in text.splitlines() if line.strip()]


def tls(endpoint: Endpoint) -> ssl.SSLContext:
    """Return how a server is trusted, and what is shown to it, by the files that are named.

    Raises `Misconfigured`.
    """
    options = endpoint.options
    words = options.get("key_password", "")
    try:
        context = ssl.create_default_context(cafile=options.get("ca_file") or None)
        if options.get("cert_file"):
            # a callable, or the library would ask at the terminal of the server, and wait
            context.load_cert_chain(
                options["cert_file"], options.get("key_file") or None, password=lambda: words
            )
    except OSError as error:
        raise Misconfigured(
            f"The certificate files cannot be used: {error}.", "Check the paths and the files."
        ) from None
    return context
