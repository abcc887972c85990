"""What requests may hold: parameters and bodies of every call, with their limits and defaults, and with which states it
answers, as they stood when they were last looked at.

A limit that slipped is noticed by nothing else, and the page and programs of others send what it allowed. Where a
change is meant, write it anew with ``LIMUS_CONTRACT=write python manage.py test tests.server.test_contract``.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from django.test import SimpleTestCase

from limus.commands.edit import COMMANDS
from limus.document.scene import Scene
from server.api.api import api
from tests.core.contracts import hold, plain

KEPT = Path(__file__).with_name("contract.json")


def _named(schema: Any) -> set[str]:
    """Names of the tables that a schema refers to."""
    if isinstance(schema, dict):
        own = {str(schema["$ref"]).rsplit("/", 1)[-1]} if "$ref" in schema else set()
        return own.union(*map(_named, schema.values()))
    return set().union(*map(_named, schema)) if isinstance(schema, list) else set()


def contract() -> dict[str, Any]:
    """Call -> its parameters, its body and the states of its answers; table -> its fields."""
    whole = json.loads(json.dumps(api.get_openapi_schema()))
    out: dict[str, Any] = {}
    for path, calls in whole["paths"].items():
        for method, call in calls.items():
            asked = {name: call[name] for name in ("parameters", "requestBody") if call.get(name)}
            out[f"{method} {path}"] = plain(asked) | {"answers": sorted(call["responses"])}
    # Scene documents have editions, and commands a contract of their own (tests/core/test_contract.py).
    elsewhere = set(Scene.model_json_schema()["$defs"]) | {"Scene"} | {one.__name__ for one in COMMANDS.values()}
    tables, open_ = whole["components"]["schemas"], _named(out) - elsewhere
    found: set[str] = set()
    while open_:
        name = open_.pop()
        found.add(name)
        open_ |= _named(tables[name]) - found - elsewhere
    return out | {name: plain(tables[name]) for name in sorted(found)}


class Contract(SimpleTestCase):
    maxDiff = None

    def test_calls_take_what_they_took(self) -> None:
        hold(self, contract(), KEPT)
