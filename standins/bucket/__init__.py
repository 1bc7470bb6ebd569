"""A stand-in for an object store that speaks the S3 protocol: one bucket, in memory."""

import hashlib
import hmac
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from threading import Thread
from urllib.parse import parse_qs, quote, unquote, urlsplit
from xml.sax.saxutils import escape

ACCESS, SECRET = "KELPMOOR", "tidewater-secret"


class Store:
    """What is kept, and where it answers.

    conditions: whether it honours If-None-Match; some stores do not.
    """

    def __init__(self, conditions: bool = True) -> None:
        self.objects: dict[str, bytes] = {}
        self.conditions = conditions
        self.fails: set[str] = set()
        self.address = ""


def _handler(store: Store) -> type[BaseHTTPRequestHandler]:
    class Handler(BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def log_message(self, *_: object) -> None:
            pass

        def _answer(self, status: int, body: bytes = b"", kind: str = "application/xml") -> None:
            self.send_response(status)
            self.send_header("Content-Length", str(len(body)))
            self.send_header("Content-Type", kind)
            if status == 200 and self.command == "PUT":
                self.send_header("ETag", '"none"')
            self.end_headers()
            if self.command != "HEAD":
                self.wfile.write(body)

        def _refuse(self, status: int, code: str) -> None:
            text = f"<Error><Code>{code}</Code><Message>{code}</Message></Error>"
            self._answer(status, text.encode())

        def _signed(self) -> bool:
            """Work the signature out anew (AWS Signature Version 4)."""
            told = self.headers.get("Authorization", "")
            parts = dict(
                p.strip().split("=", 1) for p in told.partition(" ")[2].split(",") if "=" in p
            )
            scope = parts.get("Credential", "").split("/")
            if len(scope) != 5 or scope[0] != ACCESS:
                return False
            url = urlsplit(self.path)
            query = "&".join(
                f"{quote(k, safe='')}={quote(v, safe='')}"
                for k, v in sorted(
                    (k, v)
                    for k, vs in parse_qs(url.query, keep_blank_values=True).items()
                    for v in vs
                )
            )
            names = parts.get("SignedHeaders", "").split(";")
            heads = "".join(f"{n}:{' '.join(self.headers.get(n, '').split())}\n" for n in names)
            path = quote(unquote(url.path), safe="/~")
            request = "\n".join(
                [self.command, path, query, heads, ";".join(names),
                 self.headers.get("x-amz-content-sha256", "")]
            )  # fmt: skip
            text = "\n".join(
                ["AWS4-HMAC-SHA256", self.headers.get("x-amz-date", ""), "/".join(scope[1:]),
                 hashlib.sha256(request.encode()).hexdigest()]
            )  # fmt: skip
            key = f"AWS4{SECRET}".encode()
            for part in scope[1:]:
                key = hmac.digest(key, part.encode(), "sha256")
            wanted = hmac.digest(key, text.encode(), "sha256").hex()
            return hmac.compare_digest(wanted, parts.get("Signature", ""))

        def _begin(self) -> str | None:
            if self.command in store.fails:
                self._refuse(500, "InternalError")
                return None
            if not self._signed():
                self._refuse(403, "SignatureDoesNotMatch")
                return None
            return unquote(urlsplit(self.path).path).strip("/").partition("/")[2]

        def do_GET(self) -> None:
            key = self._begin()
            if key is None:
                return
            if key:
                if key not in store.objects:
                    self._refuse(404, "NoSuchKey")
                else:
                    self._answer(200, store.objects[key], "application/zip")
                return
            prefix = parse_qs(urlsplit(self.path).query).get("prefix", [""])[0]
            rows = "".join(
                f"<Contents><Key>{escape(k)}</Key><Size>{len(v)}</Size></Contents>"
                for k, v in sorted(store.objects.items()) if k.startswith(prefix)
            )  # fmt: skip
            self._answer(
                200,
                f"<ListBucketResult><IsTruncated>false</IsTruncated>{rows}</ListBucketResult>".encode(),
            )

        def do_PUT(self) -> None:
            length = int(self.headers.get("Content-Length", "0"))
            if self.headers.get("Expect") == "100-continue":
                self.send_response_only(100)
                self.end_headers()
            body = self.rfile.read(length)
            key = self._begin()
            if key is None:
                return
            if store.conditions and self.headers.get("If-None-Match") and key in store.objects:
                self._refuse(412, "PreconditionFailed")
                return
            store.objects[key] = body
            self._answer(200)

        def do_DELETE(self) -> None:
            key = self._begin()
            if key is not None:
                store.objects.pop(key, None)
                self._answer(204)

    return Handler


@contextmanager
def serving(conditions: bool = True) -> Iterator[Store]:
    """Serve an empty bucket on loopback."""
    store = Store(conditions)
    server = ThreadingHTTPServer(("127.0.0.1", 0), _handler(store))
    store.address = f"http://127.0.0.1:{server.server_address[1]}"
    thread = Thread(target=server.serve_forever, daemon=True)
    thread.start()
    try:
        yield store
    finally:
        server.shutdown()
        server.server_close()
