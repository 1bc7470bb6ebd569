"""Runs the command: ``python -m keepsort.cli``."""

from keepsort.cli.main import main

main()
