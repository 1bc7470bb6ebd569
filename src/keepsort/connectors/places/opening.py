"""Opens the way to a place by its address."""

from urllib.parse import urlsplit

from keepsort.connectors.errors import Misconfigured
from keepsort.connectors.places.base import Place, Way


def open_place(way: Way) -> Place:
    """Open the way to a place. Raises a `ConnectorError`."""
    scheme = urlsplit(way.address).scheme
    if scheme == "file":
        from keepsort.connectors.places.folder import Folder

        return Folder(way)
    if scheme == "sftp":
        from keepsort.connectors.places.sftp import SftpFolder

        return SftpFolder(way)
    if scheme == "s3":
        from keepsort.connectors.places.bucket import Bucket

        return Bucket(way)
    raise Misconfigured(
        f"{way.address!r} is no place for copies.",
        "Write file:///folder, sftp://user@host/folder or s3://bucket/prefix.",
    )
