"""A copy of everything that cannot be made again, while the server runs."""

from __future__ import annotations

import os
import shutil
import sqlite3
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError

from server.projects import storage

#: What the database refers to; readings, pictures of objects and deliveries are made again.
FOLDERS = ("objects", "pictures", "strokes")


class Command(BaseCommand):
    """Copies the database by SQLite's own backup, then the files it names; the copy is a data folder of its own
    (LIMUS_DATA).
    """

    help = "Copy everything that cannot be made again into an empty folder, while the server runs"

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("folder", help="an empty folder, or one that is not there yet")

    def handle(self, *args: Any, **options: Any) -> None:
        """Run."""
        target = Path(options["folder"])
        if target.exists() and any(target.iterdir()):
            raise CommandError(f"{target} is not empty. Name a folder that is, or that is not there yet.")
        target.mkdir(parents=True, exist_ok=True)
        target.chmod(0o700)
        home = Path(settings.DATA_DIR)
        # The database first: files never change, so whatever it names is there when they are copied; what came later is
        # not missed.
        copy = target / "limus.sqlite3"
        os.close(os.open(copy, os.O_CREAT | os.O_WRONLY, 0o600))
        with sqlite3.connect(home / "limus.sqlite3", timeout=60) as source, sqlite3.connect(copy) as out:
            source.backup(out)
            if out.execute("PRAGMA integrity_check").fetchone()[0] != "ok":
                raise CommandError(
                    "The copy of the database is not whole. Nothing was changed; look at the disk, then try again."
                )
        count = 0
        for name in FOLDERS:
            for path in sorted((home / name).rglob("*")) if (home / name).is_dir() else []:
                if path.is_file() and not path.name.startswith(".") and path.suffix != ".part":
                    place = target / path.relative_to(home)
                    place.parent.mkdir(parents=True, exist_ok=True)
                    shutil.copy2(path, place)
                    count += 1
        if (home / "secret-key").is_file():
            shutil.copy2(home / "secret-key", target / "secret-key")
        storage.note_backup(target)
        self.stdout.write(f"{target}: the database and {count} files. Start with LIMUS_DATA={target} to use it.")
