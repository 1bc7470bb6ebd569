"""The ways to an OVSDB server: what answers oddly, what wants certificates."""

import socket
import subprocess
import threading
from pathlib import Path as FilePath

import pytest

from demo.servers import ovsdb
from demo.servers.ovsdb import OvsdbServer
from keepsort.connectors import errors
from keepsort.connectors.applying import read
from keepsort.connectors.base import Endpoint
from keepsort.connectors.ovsdb import OVSDB
from tests.connectors.contract import Keeper
from tests.connectors.test_ovsdb import REEF, SwitchSubject, server, subject

__all__ = ["server", "subject"]
pytestmark = pytest.mark.skipif(not ovsdb.is_installed(), reason="no openvswitch-switch here")


@pytest.mark.parametrize(
    ("sent", "error"),
    [
        (b'"hello"', errors.OddAnswer),
        (b"HTTP/1.1 400 Bad Request\r\n\r\n", errors.OddAnswer),
        (b"[" * 100_000, errors.OddAnswer),
        (b"", errors.Unreachable),
        (b'{"id": 1, "result": ["Open_vSwitch"], "error": null}{"id": 2, "result": {"tables": 5}, "error": null}',
         errors.OddAnswer),
        (b'{"id": 1, "result": ["Open_vSwitch"], "error": null}'
         b'{"id": 2, "result": {"tables": {"A": {"columns": {"b": {"type": 7}}}}}, "error": null}',
         errors.OddAnswer),
        (b"\xff\xfe{}", errors.OddAnswer),
    ],
)  # fmt: skip
def test_what_answers_oddly_is_told_as_such(sent: bytes, error: type[Exception]) -> None:
    listening = socket.create_server(("127.0.0.1", 0))

    def answer() -> None:
        with listening.accept()[0] as one:
            one.recv(1000)
            one.sendall(sent)

    threading.Thread(target=answer, daemon=True).start()
    address = f"tcp:127.0.0.1:{listening.getsockname()[1]}"
    with pytest.raises(error):
        OVSDB.open(Endpoint(address=address), Keeper())
    listening.close()


def test_the_server_that_asks_whether_we_are_here_hears_it(subject: SwitchSubject) -> None:
    connector = subject.open()
    client = connector._client  # type: ignore[attr-defined]
    client._rest = '{"method": "echo", "params": ["brace } in a text {{"], "id": "echo"}'
    assert read(connector, [REEF])[0] is not None


def test_ways_in(server: OvsdbServer) -> None:
    for address in ("nowhere", "tcp:127.0.0.1", "http://127.0.0.1:1"):
        with pytest.raises(errors.Misconfigured, match="Write tcp:HOST:PORT"):
            OVSDB.open(Endpoint(address=address), Keeper())
    server.stop()
    with pytest.raises(errors.Unreachable):
        SwitchSubject(server).open()


def test_over_tls_both_sides_show_certificates(certificates: FilePath, tmp_path: FilePath) -> None:
    server = OvsdbServer(tmp_path / "tls", tls=certificates)
    own = {
        "cert_file": str(certificates / "server.pem"), "key_file": str(certificates / "server.key"),
    }  # fmt: skip
    try:
        connector = SwitchSubject(server, ca_file=str(certificates / "ca.pem"), **own).open()
        assert "Open_vSwitch" in connector.describe().software
        assert [path for path, _ in connector.observe()] == [()]
        with pytest.raises(errors.NotTrusted):
            SwitchSubject(server, ca_file=str(certificates / "other.pem"), **own).open()
        with pytest.raises(errors.Unreachable):
            SwitchSubject(server, ca_file=str(certificates / "ca.pem")).open().describe()
        with pytest.raises(errors.Misconfigured, match="certificate files"):
            SwitchSubject(server, ca_file=str(tmp_path / "nothing.pem")).open()
        # a key that is encrypted is opened by its password, and nobody waits for one to be typed
        subprocess.run(
            ["openssl", "pkey", "-in", own["key_file"], "-aes256", "-passout", "pass:sea-fan",
             "-out", certificates / "closed.key"], check=True,
        )  # fmt: skip
        closed = own | {"key_file": str(certificates / "closed.key")}
        ca = str(certificates / "ca.pem")
        opened = SwitchSubject(server, ca_file=ca, **closed, key_password="sea-fan").open()
        assert "Open_vSwitch" in opened.describe().software
        for wrong in ({}, {"key_password": "sea-pen"}):
            with pytest.raises(errors.Misconfigured, match="certificate files"):
                SwitchSubject(server, ca_file=ca, **closed, **wrong).open()
    finally:
        server.stop()
