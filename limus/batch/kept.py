"""What of a batch is done: kept beside what it delivered, so that it goes on where it stopped."""

from __future__ import annotations

import json
from collections.abc import Sequence
from dataclasses import asdict, dataclass, field
from pathlib import Path, PurePosixPath
from typing import Any

from limus.common.errors import InputError
from limus.formats.files import write_whole
from limus.formats.json_read import read_json

FILE = "batch.json"


@dataclass
class Done:
    """One row: ``key`` of what it came of, the folder, the ``files`` name -> bytes, what there was to say, how long it
    took; ``error`` where it failed.
    """

    key: str
    out: str
    files: dict[str, int] = field(default_factory=dict)
    notes: list[str] = field(default_factory=list)
    seconds: float = 0.0
    error: str = ""


def _within(name: str) -> bool:
    path = PurePosixPath(name)
    return bool(path.parts) and not path.is_absolute() and ".." not in path.parts


class Kept:
    """The rows of a folder by their folder in it; written anew after each."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.rows: dict[str, Done] = {}
        path = folder / FILE
        if not path.is_file():
            return
        try:
            found: Any = read_json(path)
            rows = {out: Done(**row) for out, row in found["rows"].items()}
            # What it lists may be taken away later: nothing that it names lies outside of the folder.
            self.rows = {out: row for out, row in rows.items() if all(map(_within, (out, row.out, *row.files)))}
        except (InputError, KeyError, TypeError, AttributeError):
            # Not ours, or of another edition: everything is done again and it is written anew.
            self.rows = {}

    def stands(self, out: str, key: str) -> Done | None:
        """The row where it was done from the same things and all its files are still there."""
        row = self.rows.get(out)
        if row is None or row.key != key or row.error:
            return None
        for name, size in row.files.items():
            path = self.folder / out / name
            if not path.is_file() or path.stat().st_size != size:
                return None
        return row

    def note(self, row: Done) -> None:
        """Keep it."""
        self.rows[row.out] = row
        text = json.dumps({"rows": {out: asdict(one) for out, one in self.rows.items()}}, indent=1, allow_nan=False)
        write_whole(self.folder / FILE, text.encode())

    def only(self, outs: Sequence[str]) -> None:
        """Forget rows that the sheet has no more; their files stay."""
        self.rows = {out: row for out, row in self.rows.items() if out in set(outs)}
