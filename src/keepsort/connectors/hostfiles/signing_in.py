"""Signing in over SSH, with the host's key pinned at the first contact."""

import base64
import hashlib
from contextlib import suppress
from urllib.parse import unquote, urlsplit

import paramiko

from keepsort.connectors.base import Endpoint
from keepsort.connectors.errors import Misconfigured, NotTrusted, SignInRefused, Unreachable

_SECONDS = 20
_PORT = 22


class _Pinned(paramiko.MissingHostKeyPolicy):
    """Takes the key that is pinned; takes any, and remembers it, where none is."""

    def __init__(self, pinned: str) -> None:
        self.pinned = pinned
        self.found = ""

    def missing_host_key(
        self, client: paramiko.SSHClient, hostname: str, key: paramiko.PKey
    ) -> None:
        """Compare the key that the host shows."""
        self.found = fingerprint(key)
        if self.pinned and self.pinned != self.found:
            raise NotTrusted(
                f"The host key of {hostname} is {self.found}, but {self.pinned} was pinned at the "
                "first contact.",
                "Find out why the host has another key. If that is right, empty the pinned host "
                "key in the system's settings.",
            )


def fingerprint(key: paramiko.PKey) -> str:
    """Return a key's type and the SHA-256 of it, as OpenSSH writes it."""
    digest = base64.b64encode(hashlib.sha256(key.asbytes()).digest()).decode().rstrip("=")
    return f"{key.get_name()} SHA256:{digest}"


def sign_in(endpoint: Endpoint) -> tuple[paramiko.SSHClient, str]:
    """Connect and sign in; return the client and the host's key. Raises a `ConnectorError`."""
    parts = urlsplit(endpoint.address)
    try:
        host, port = parts.hostname, parts.port or _PORT
    except ValueError:
        host, port = None, _PORT
    user = unquote(parts.username or "") or endpoint.user
    if parts.scheme != "sftp" or not host:
        raise Misconfigured(
            f"{endpoint.address!r} is no address of files.",
            "Write it as sftp://user@host:port, or file:/// for this machine.",
        )
    client = paramiko.SSHClient()
    policy = _Pinned(endpoint.options.get("host_key", ""))
    client.set_missing_host_key_policy(policy)
    key_file = endpoint.options.get("key_file") or None
    try:
        client.connect(
            host, port, user or None, key_filename=key_file,
            password=None if key_file else endpoint.password or None,
            passphrase=endpoint.password or None if key_file else None,
            timeout=_SECONDS, banner_timeout=_SECONDS, auth_timeout=_SECONDS,
            allow_agent=False, look_for_keys=False,
        )  # fmt: skip
    except NotTrusted:
        _close(client)
        raise
    except paramiko.AuthenticationException:
        _close(client)
        raise _refused(host, user) from None
    except FileNotFoundError:
        _close(client)
        raise Misconfigured(f"There is no key file {key_file}.") from None
    except (paramiko.SSHException, ValueError, EOFError) as error:
        _close(client)
        if "No authentication methods" in str(error):
            raise _refused(host, user) from None
        if key_file and "key" in str(error).lower():
            raise Misconfigured(
                f"The key file {key_file} cannot be used: {error}.",
                "Check that it is a private key, and give the password that opens it.",
            ) from None
        raise Unreachable(f"{host}:{port} does not answer as SSH does: {error}.") from None
    except OSError as error:
        _close(client)
        raise Unreachable(f"Nothing answers at {host}:{port}: {error}.") from None
    return client, policy.found


def _refused(host: str, user: str) -> SignInRefused:
    return SignInRefused(
        f"{host} does not let {user or 'a user without a name'} in.",
        "Check the user, the password or the key file.",
    )


def _close(client: paramiko.SSHClient) -> None:
    with suppress(Exception):
        client.close()
