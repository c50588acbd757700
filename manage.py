#!/usr/bin/env python3
"""Kilter's command line."""

import os
import sys

from django.core.management import execute_from_command_line

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "kilter.site.settings")
    try:
        execute_from_command_line(sys.argv)
        sys.stdout.flush()
    except BrokenPipeError:
        # Whoever reads the output, such as head, has read enough.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
