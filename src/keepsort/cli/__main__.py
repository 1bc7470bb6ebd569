"""Runs the command: ``python -m keepsort.cli``."""

import gc
import os
import sys

# a command lives briefly: looking for cycles while it loads only makes it slower to start
gc.disable()

from keepsort.cli.main import main  # noqa: E402

try:
    main()
except SystemExit as end:
    if not isinstance(end.code, int | None):
        raise
    # all is written and closed by now: taking the process apart object by object gains nothing
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(end.code or 0)
