#!/usr/bin/env python3
"""Django's own commands, for those who work on Keep Sort."""

import os
import sys

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "keepsort.server.settings")
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)
