"""Places for copies: a folder, a real OpenSSH server, and an object store, all held to one contract."""

import io
from collections.abc import Iterator
from pathlib import Path

import pytest

from demo.servers.sshd import Sshd, is_installed
from keepsort.connectors.errors import ConnectorError, NotTrusted, SignInRefused, Unreachable
from keepsort.connectors.places import Place, Stored, Taken, Way, open_place
from standins import bucket


@pytest.fixture(params=["folder", "sftp", "bucket", "bucket without conditions"])
def way(request: pytest.FixtureRequest, tmp_path: Path) -> Iterator[Way]:
    folder = tmp_path / "copies"
    folder.mkdir()
    if request.param == "folder":
        yield Way(address=f"file://{folder}")
    elif request.param == "sftp":
        if not is_installed():
            pytest.skip("sshd is not installed")
        (tmp_path / "sshd").mkdir()
        server = Sshd(tmp_path / "sshd")
        try:
            options = {"key_file": str(server.user_key)}
            yield Way(address=f"{server_address(server)}{folder}", options=options)
        finally:
            server.stop()
    else:
        with bucket.serving(conditions=request.param == "bucket") as store:
            yield Way(
                address="s3://kelpmoor/copies", user=bucket.ACCESS, password=bucket.SECRET,
                options={"endpoint": store.address},
            )  # fmt: skip


def server_address(server: Sshd) -> str:
    import getpass

    return f"sftp://{getpass.getuser()}@127.0.0.1:{server.port}"


@pytest.fixture
def place(way: Way) -> Iterator[Place]:
    found = open_place(way)
    yield found
    found.close()


def held(place: Place, name: str) -> bytes:
    out = io.BytesIO()
    place.get(name, out, 1 << 30)
    return out.getvalue()


def test_what_is_put_there_is_there_and_never_written_over(place: Place) -> None:
    raw = bytes(range(256)) * 4000
    assert place.stored() == []
    place.put("people-1.zip", io.BytesIO(raw))
    place.put("people-2.zip", io.BytesIO(b"second"))
    assert place.stored() == [Stored("people-1.zip", len(raw)), Stored("people-2.zip", 6)]
    assert held(place, "people-1.zip") == raw
    with pytest.raises(Taken):
        place.put("people-1.zip", io.BytesIO(b"other"))
    assert held(place, "people-1.zip") == raw
    with pytest.raises(ConnectorError, match="larger than"):
        place.get("people-1.zip", io.BytesIO(), 1000)
    place.drop("people-1.zip")
    place.drop("people-1.zip")
    assert [one.name for one in place.stored()] == ["people-2.zip"]
    with pytest.raises(ConnectorError):
        held(place, "people-1.zip")


class Breaking(io.BytesIO):
    """A source that ends in the middle with an error."""

    def read(self, size: int | None = -1) -> bytes:
        if self.tell():
            raise OSError(5, "the disk is gone")
        return super().read(size if size is not None and size > 0 else 10)


def test_half_a_file_is_none(place: Place) -> None:
    with pytest.raises((ConnectorError, OSError)):
        place.put("half.zip", Breaking(b"x" * (1 << 20)))
    assert place.stored() == []


def test_what_else_lies_there_is_passed_over(tmp_path: Path) -> None:
    (tmp_path / "a.zip").write_bytes(b"1")
    (tmp_path / "notes.txt").write_bytes(b"1")
    (tmp_path / ".keepsort-x").write_bytes(b"1")
    (tmp_path / "dir.zip").mkdir()
    assert open_place(Way(address=f"file://{tmp_path}")).stored() == [Stored("a.zip", 1)]


def test_errors_say_what_is_wrong(tmp_path: Path) -> None:
    with pytest.raises(Unreachable, match="There is no folder"):
        open_place(Way(address=f"file://{tmp_path}/none"))
    with pytest.raises(ConnectorError, match="is no place for copies"):
        open_place(Way(address="ftp://x"))
    with bucket.serving() as store:
        wrong = Way(
            address="s3://k", user=bucket.ACCESS, password="x", options={"endpoint": store.address}
        )
        with pytest.raises(SignInRefused):
            open_place(wrong).stored()
    gone = Way(address="s3://k", user="a", password="b", options={"endpoint": "http://127.0.0.1:1"})
    with pytest.raises(Unreachable):
        open_place(gone).stored()


@pytest.mark.skipif(not is_installed(), reason="sshd is not installed")
def test_another_host_key_is_not_trusted(tmp_path: Path) -> None:
    (tmp_path / "sshd").mkdir()
    server = Sshd(tmp_path / "sshd")
    try:
        address = f"{server_address(server)}{tmp_path}"
        options = {"key_file": str(server.user_key)}
        place = open_place(Way(address=address, options=options))
        assert "SHA256:" in place.learned["host_key"]
        place.close()
        with pytest.raises(NotTrusted):
            open_place(
                Way(address=address, options={**options, "host_key": "ssh-ed25519 SHA256:x"})
            )
    finally:
        server.stop()
