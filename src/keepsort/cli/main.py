"""The `keepsort` command: the same services as the screens, for scripts.

Exit status: 0 on success, 1 on an error (said on standard error), 2 on wrong usage.
"""

import os
import subprocess
import sys

import click

from keepsort.cli.backups import backup, backups, export, show
from keepsort.cli.copies import copies_app
from keepsort.cli.files import files_app, import_command, open_command
from keepsort.cli.finding import history, search
from keepsort.cli.keeping import (
    attention_command,
    baseline_command,
    delete_command,
    pin_command,
    retention_command,
    verify_command,
)
from keepsort.cli.keys import keys_app
from keepsort.cli.restores import (
    cancel,
    compare,
    elsewhere,
    preview,
    restore,
    resume,
    runs,
    try_out,
    undo,
)
from keepsort.cli.schedules import schedule_app
from keepsort.cli.systems import system_app

_COMMANDS = (
    attention_command, backup, backups, baseline_command, cancel, compare, copies_app,
    delete_command, elsewhere, export, files_app, history, import_command, keys_app, open_command,
    pin_command, preview, restore, resume, retention_command, runs, schedule_app, search, show,
    system_app, try_out, undo, verify_command,
)  # fmt: skip


@click.group()
def app() -> None:
    """Look into configuration backups, and put back only what should go back."""


for _command in _COMMANDS:
    app.add_command(_command)


def main() -> None:
    """Run the command."""
    # who asks what wants attention asks for workers too, and these are in the queue's tables
    which = "server" if sys.argv[1:2] == ["attention"] else "cli"
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", f"keepsort.{which}.settings")
    import django
    from django.db import OperationalError

    from keepsort.connectors.errors import ConnectorError
    from keepsort.core.snapshot import ChunkMissing
    from keepsort.server.migrating import is_current
    from keepsort.server.problems import Problem

    try:
        django.setup()
        asks_help = bool({"--help", "-h"} & set(sys.argv))
        if not asks_help and not is_current():
            # the migrations of the queue are known only to the server's settings
            subprocess.run([sys.executable, "-m", "keepsort.server.migrating"], check=True)
        if not asks_help and sys.argv[1:2] != ["keys"]:
            from keepsort.server.systems.keeping import check

            check()
        app(prog_name="keepsort")
    except (Problem, ConnectorError, ChunkMissing, ValueError) as error:
        _fail(str(error))
    except OperationalError as error:
        first = str(error).strip().splitlines()[0]
        _fail(f"The database does not answer: {first} Start it with make demo or make serve.")


def _fail(message: str) -> None:
    print(f"keepsort: {message}", file=sys.stderr)
    sys.exit(1)
