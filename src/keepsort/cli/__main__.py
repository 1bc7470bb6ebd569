"""Runs the command: ``python -m keepsort.cli``."""

import gc

# a command lives briefly: looking for cycles while it loads only makes it slower to start
gc.disable()

from keepsort.cli.main import main  # noqa: E402

main()
