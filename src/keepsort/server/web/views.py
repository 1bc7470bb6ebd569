"""Serves the built screens."""

import mimetypes
from pathlib import Path

from django.conf import settings
from django.http import FileResponse, HttpRequest, HttpResponse
from django.http.response import HttpResponseBase
from django.views.decorators.csrf import ensure_csrf_cookie
from django.views.decorators.http import require_safe

mimetypes.add_type("font/woff2", ".woff2")
_NOT_BUILT = "The screens are not built. Run: make web\n"


@require_safe
@ensure_csrf_cookie
def page(request: HttpRequest, name: str) -> HttpResponseBase:
    """Return a built file, or, for any address of the application, the page that loads it."""
    root: Path = settings.WEB_ROOT.resolve()
    if name.startswith("assets/"):
        # a name with a zero byte in it is no file's
        file = root if "\0" in name else (root / name).resolve()
        if not (file.is_relative_to(root) and file.is_file()):
            return HttpResponse(status=404)
        asset = FileResponse(file.open("rb"))
        # the names of built files hold a digest of their content
        asset["Cache-Control"] = "public, max-age=31536000, immutable"
        return asset
    index = root / "index.html"
    if not index.is_file():
        return HttpResponse(_NOT_BUILT, status=503, content_type="text/plain")
    response = HttpResponse(index.read_bytes(), content_type="text/html; charset=utf-8")
    response["Cache-Control"] = "no-cache"
    return response
