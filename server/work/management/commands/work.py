"""The process that runs jobs; `manage.py serve` starts it."""

from __future__ import annotations

import signal
from typing import Any

from django.core.management.base import BaseCommand

from limus.common.dying import die_with_parent
from server.work.keeper import Keeper


class Command(BaseCommand):
    """Runs the keeper of jobs until it is told to stop."""

    help = "Run long work (jobs) until stopped"

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument(
            "--with-parent",
            type=int,
            metavar="PID",
            help="end when the process of this number, which started this one, ends",
        )

    def handle(self, *args: Any, **options: Any) -> None:
        """Run."""
        if options["with_parent"]:
            die_with_parent(options["with_parent"])
        keeper = Keeper()

        def stop(*_: Any) -> None:
            keeper.stopping = True

        signal.signal(signal.SIGTERM, stop)
        signal.signal(signal.SIGINT, stop)
        keeper.run()
