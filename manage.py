#!/usr/bin/env python
"""Django's commands, for the settings that the environment names."""

import os
import sys

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "rectaxis.settings.local")
    from django.core.management import execute_from_command_line

    execute_from_command_line(sys.argv)
