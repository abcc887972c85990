"""What commands take and scenes hold: names, kinds, limits and defaults, as they stood when they were last looked at.

A limit that slipped is noticed by nothing else, and programs of others send what it allowed. Where a change is meant,
write it anew with ``LIMUS_CONTRACT=write python -m unittest tests.core.test_contract``.
"""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any
from unittest import TestCase

from limus.commands.edit import COMMANDS, MOST_BYTES, command_of
from limus.common.errors import InputError
from limus.document.scene import Scene
from tests.core.contracts import hold, plain

#: What fields take that are tables of their own.
TABLES = {"Pick": {"what": "part", "at": [0, 0, 0], "facing": [0, 1, 0]}}
KEPT = Path(__file__).with_name("contract.json")
DOCUMENTS = Path(__file__).with_name("documents.json")


def contract() -> dict[str, Any]:
    """Command -> its fields."""
    out = {}
    for name, command in COMMANDS.items():
        schema = plain(command.model_json_schema())
        out[name] = {"fields": schema["properties"], "needed": schema.get("required", []), "words": command.words}
    return json.loads(json.dumps(out))  # type: ignore[no-any-return]


def documents() -> dict[str, Any]:
    """What stands in a scene, with every effect, source and base -> its fields."""
    schema = plain(Scene.model_json_schema())
    parts = {"Scene": schema, **schema["$defs"]}
    out = {name: {"fields": part["properties"], "needed": part.get("required", [])} for name, part in parts.items()}
    return json.loads(json.dumps(out))  # type: ignore[no-any-return]


class Contract(TestCase):
    maxDiff = None

    def test_documents_hold_what_they_held(self) -> None:
        hold(self, documents(), DOCUMENTS)

    def test_commands_take_what_they_took(self) -> None:
        hold(self, contract(), KEPT)

    def test_limits_are_kept(self) -> None:
        """At a limit it is taken, one beyond it is refused, by the name of the field."""
        tried = 0
        for name, entry in contract().items():
            usual = {field: _usual(entry["fields"][field]) for field in entry["needed"]}
            for field, schema in entry["fields"].items():
                for good, bad in _edges(schema):
                    tried += 1
                    with self.subTest(command=name, field=field, bad=str(bad)[:20]):
                        command_of(name, {**usual, field: good})
                        with self.assertRaises(InputError) as caught:
                            command_of(name, {**usual, field: bad})
                        self.assertIn(field, caught.exception.where)
        self.assertGreater(tried, 60)

    def test_no_edit_is_larger_than_any_edit_needs_to_be(self) -> None:
        room = MOST_BYTES - len(json.dumps({"values": {"name": ""}}))
        command_of("set", {"values": {"name": "x" * room}})
        with self.assertRaises(InputError) as caught:
            command_of("set", {"values": {"name": "x" * (room + 1)}})
        self.assertEqual((caught.exception.where, caught.exception.problem), ("arguments", "are more than 4 MB"))


def _usual(schema: dict[str, Any]) -> Any:
    """Something that a field takes."""
    if "$ref" in schema:
        return TABLES[schema["$ref"].rsplit("/", 1)[-1]]
    if "enum" in schema:
        return schema["enum"][0]
    if "const" in schema:
        return schema["const"]
    kind = schema.get("type", "string")
    return {
        "string": "x" * schema.get("minLength", 1),
        "integer": schema.get("minimum", 0),
        "number": schema.get("minimum", 0.0),
        "boolean": True,
        "array": ["x"] * schema.get("minItems", 0),
        "object": {},
    }[kind]


def _edges(schema: dict[str, Any]) -> list[tuple[Any, Any]]:
    """(the last that is taken, the first that is not) for each limit of a field."""
    out: list[tuple[Any, Any]] = []
    if "maxLength" in schema:
        out.append(("x" * schema["maxLength"], "x" * (schema["maxLength"] + 1)))
    if schema.get("minLength"):
        out.append(("x" * schema["minLength"], "x" * (schema["minLength"] - 1)))
    step = 1 if schema.get("type") == "integer" else 1e-3
    if "maximum" in schema:
        out.append((schema["maximum"], schema["maximum"] + step))
    if "minimum" in schema:
        out.append((schema["minimum"], schema["minimum"] - step))
    if schema.get("type") == "number":
        out += [(schema.get("minimum", 0.0), bad) for bad in (float("nan"), float("inf"), float("-inf"))]
    if schema.get("type") == "array" and schema.get("items", {}).get("type") == "string" and "maxItems" in schema:
        out.append((["x"] * schema["maxItems"], ["x"] * (schema["maxItems"] + 1)))
    return out
