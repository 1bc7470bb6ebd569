"""A worker process: does what people have asked for. Run as a module."""

import os
import sys


def main() -> None:
    """Work until told to end."""
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "keepsort.server.settings")
    import django

    django.setup()
    from django.core.management import call_command

    import keepsort.server.tasks  # noqa: F401 - so that they are known
    from keepsort.server.systems.keeping import WrongKey, check

    try:
        check()
    except WrongKey as error:
        sys.exit(f"keepsort: {error}")
    at_once = os.environ.get("KEEPSORT_AT_ONCE", "4")
    call_command("procrastinate", "worker", "--concurrency", at_once, "--delete-jobs", "always")


if __name__ == "__main__":
    main()
