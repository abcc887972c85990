"""Who uses how much of the disk, and freeing what nobody needs."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand
from django.db import connection

from limus.readings.kept import cache_folder
from server.projects import storage


def _mb(size: int) -> str:
    return f"{size / (1 << 20):10.1f} MB"


class Command(BaseCommand):
    """Prints a table; with ``--sweep`` removes what nobody refers to and what is over its budget."""

    help = "Say who uses what of the disk; --sweep frees what nobody needs"

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--sweep", action="store_true", help="remove it")

    def handle(self, *args: Any, **options: Any) -> None:
        """Run."""
        self.stdout.write(f"{'':20} {'files':>13} {'deliveries':>13} {'coming in':>13}")
        for user in get_user_model().objects.order_by("username"):
            found = storage.usage_of(user)
            self.stdout.write(
                f"{user.get_username():20} {_mb(found.files)} {_mb(found.deliveries)} {_mb(found.intakes)}"
            )
        base = storage.data()
        for name in ("objects", "pictures", "strokes", "deliveries", "intakes", "portraits"):
            self.stdout.write(f"{name + '/':20} {_mb(storage.size_of(base / name))}")
        self.stdout.write(f"{'readings/':20} {_mb(storage.size_of(cache_folder()))}")
        name = str(connection.settings_dict["NAME"])
        self.stdout.write(
            f"{'database':20} {_mb(sum(storage.size_of(base.__class__(name + end)) for end in ('', '-wal')))}"
        )
        swept = storage.sweep(really=options["sweep"])
        if options["sweep"]:
            with connection.cursor() as cursor:
                cursor.execute("PRAGMA incremental_vacuum")
                cursor.execute("PRAGMA wal_checkpoint(TRUNCATE)")
        word = "Freed" if options["sweep"] else "Could be freed (--sweep)"
        detail = ", ".join(f"{what} {size / (1 << 20):.1f} MB" for what, size in sorted(swept.freed.items()) if size)
        self.stdout.write(f"{word}: {swept.total / (1 << 20):.1f} MB{f' ({detail})' if detail else ''}")
