#!/usr/bin/env python
"""Django's command line for Limus."""

import os
import sys

if __name__ == "__main__":
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
    from django.core.management import execute_from_command_line

    from limus.common.errors import InputError

    try:
        execute_from_command_line(sys.argv)
    except InputError as error:
        # A setting that cannot be used: its name, and what would do.
        print(error.line, file=sys.stderr)
        sys.exit(2)
