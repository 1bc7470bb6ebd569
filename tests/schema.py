"""Writes the API's own schema to a file: ``python -m tests.schema FILE``. Needs no database."""

import base64
import os
import sys
from pathlib import Path


def main(target: Path) -> None:
    os.environ.setdefault("KEEPSORT_KEY", base64.b64encode(bytes(32)).decode())
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "keepsort.server.settings")
    import django

    django.setup()
    from django.core.management import call_command

    target.parent.mkdir(parents=True, exist_ok=True)
    call_command(
        "spectacular",
        "--format",
        "openapi-json",
        "--file",
        str(target),
        "--validate",
        "--fail-on-warn",
    )


if __name__ == "__main__":
    sys.path.insert(0, str(Path(__file__).resolve().parents[1] / "src"))
    main(Path(sys.argv[1]))
