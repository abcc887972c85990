"""Files of the demo that wait to be brought in: nothing of them is in a project yet."""

from __future__ import annotations

from pathlib import Path

from django.conf import settings


def folder() -> Path:
    """Where they are."""
    return Path(settings.DATA_DIR) / "try-out"


def try_out_files() -> dict[str, Path]:
    """Name -> file."""
    return {p.name: p for p in sorted(folder().iterdir()) if p.is_file()} if folder().is_dir() else {}
