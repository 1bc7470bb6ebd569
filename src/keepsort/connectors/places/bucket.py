"""A bucket of an object store that speaks the S3 protocol."""

from collections.abc import Iterator
from contextlib import contextmanager, suppress
from typing import IO, Any
from urllib.parse import unquote, urlsplit

from keepsort.connectors.errors import Misconfigured, NotAllowed, SignInRefused, Unreachable
from keepsort.connectors.places.base import NAME, Stored, Taken, Way, too_large

_SECONDS = 30
_MOST_LISTED = 100_000
_REFUSED = ("InvalidAccessKeyId", "SignatureDoesNotMatch")
_THERE = ("PreconditionFailed", "ConditionalRequestConflict", "412", "409")


class Bucket:
    """Files beneath a prefix of a bucket."""

    def __init__(self, way: Way) -> None:
        import boto3
        from botocore.config import Config

        parts = urlsplit(way.address)
        self._bucket, prefix = parts.netloc, unquote(parts.path).strip("/")
        self._prefix = f"{prefix}/" if prefix else ""
        self.learned: dict[str, str] = {}
        endpoint = way.options.get("endpoint") or None
        if not self._bucket or (endpoint and urlsplit(endpoint).scheme not in ("http", "https")):
            raise Misconfigured(
                f"{way.address!r} with the endpoint {endpoint!r} is no bucket.",
                "Write s3://bucket/prefix, and --option endpoint=https://host.",
            )
        self._client: Any = boto3.client(
            "s3", endpoint_url=endpoint, region_name=way.options.get("region") or "us-east-1",
            aws_access_key_id=way.user or None, aws_secret_access_key=way.password or None,
            config=Config(
                connect_timeout=_SECONDS, read_timeout=_SECONDS, retries={"max_attempts": 2},
                s3={"addressing_style": "path"}, signature_version="s3v4",
                request_checksum_calculation="when_required",
                response_checksum_validation="when_required",
            ),
        )  # fmt: skip

    @contextmanager
    def _told(self, name: str = "") -> Iterator[None]:
        from botocore.exceptions import BotoCoreError, ClientError

        try:
            yield
        except ClientError as error:
            code = str(error.response.get("Error", {}).get("Code", ""))
            text = str(error.response.get("Error", {}).get("Message", ""))
            if code in _THERE:
                raise Taken(f"{self._bucket} has a file {name} already.") from None
            if code in _REFUSED:
                raise SignInRefused(f"{self._bucket} does not take this key ({code}).") from None
            if code in ("AccessDenied", "403"):
                raise NotAllowed(f"{self._bucket} does not allow it: {text}.") from None
            raise Unreachable(f"{self._bucket} answers {code}: {text}.") from None
        except BotoCoreError as error:
            raise Unreachable(f"{self._bucket} cannot be reached: {error}.") from None

    def stored(self) -> list[Stored]:
        """List the archives there, by name."""
        found: list[Stored] = []
        with self._told():
            pages = self._client.get_paginator("list_objects_v2")
            for page in pages.paginate(Bucket=self._bucket, Prefix=self._prefix):
                for one in page.get("Contents", ()):
                    name = str(one["Key"]).removeprefix(self._prefix)
                    if NAME.fullmatch(name):
                        found.append(Stored(name, int(one["Size"])))
                if len(found) > _MOST_LISTED:
                    break
        return sorted(found, key=lambda s: s.name)

    def put(self, name: str, source: IO[bytes]) -> None:
        """Write a new file, whole or not at all. Raises `Taken`."""
        if any(one.name == name for one in self.stored()):  # some stores know no condition
            raise Taken(f"{self._bucket} has a file {name} already.")
        with self._told(name):
            self._client.put_object(
                Bucket=self._bucket, Key=self._prefix + name, Body=source, IfNoneMatch="*"
            )

    def get(self, name: str, out: IO[bytes], most: int) -> None:
        """Write what a file there holds into another."""
        with self._told(name):
            answer = self._client.get_object(Bucket=self._bucket, Key=self._prefix + name)
            size = 0
            for piece in answer["Body"].iter_chunks(1 << 20):
                size += len(piece)
                if size > most:
                    raise too_large(name, most)
                out.write(piece)

    def drop(self, name: str) -> None:
        """Take a file away."""
        with self._told(name):
            self._client.delete_object(Bucket=self._bucket, Key=self._prefix + name)

    def close(self) -> None:
        """Let go of the connection."""
        with suppress(Exception):
            self._client.close()
