"""``python -m limus.cli``."""

import sys

from limus.cli.main import main

sys.exit(main())
