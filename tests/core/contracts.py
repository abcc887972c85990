"""What others rely on, kept beside the tests: compared with what is there, and written anew where a change is meant."""

from __future__ import annotations

import json
import os
from pathlib import Path
from typing import Any
from unittest import TestCase


def plain(schema: Any) -> Any:
    """A schema without its words: those may be put better at any time."""
    if isinstance(schema, dict):
        return {
            name: plain(value)
            for name, value in schema.items()
            if not (name in ("title", "description") and isinstance(value, str))
        }
    return [plain(one) for one in schema] if isinstance(schema, list) else schema


def hold(test: TestCase, found: dict[str, Any], kept_in: Path) -> None:
    """Every entry is as it was kept; with LIMUS_CONTRACT=write it is kept as it is."""
    if os.environ.get("LIMUS_CONTRACT") == "write":
        lines = (f"{json.dumps(name)}: {json.dumps(entry)}" for name, entry in found.items())
        kept_in.write_text("{\n" + ",\n".join(lines) + "\n}\n")
    kept = json.loads(kept_in.read_text())
    test.assertEqual(list(found), list(kept))
    for name, entry in found.items():
        with test.subTest(name):
            test.assertEqual(entry, kept[name])
