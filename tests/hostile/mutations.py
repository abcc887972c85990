"""Breaking valid input in many small ways, by hypothesis."""

from __future__ import annotations

import copy
import json
import struct
from typing import Any

from hypothesis import strategies as st

#: Values that something somewhere does not expect.
EDGES: list[Any] = [
    None, True, False, 0, -1, 1, 2, 3, 255, 65536, 2**28, 2**31, 2**40, 2**63, -(2**31), 0.5, -0.0, 1e-320, 1e38,
    1e300, "", "0", "a|b|c",
    "x" * 5000, "\u202e", "\ud800", "a\0b", "..", "/etc/passwd", "../../x", "data:,", "\u6c34" * 90, [], {}, [[]],
    [0], [None], [1e300] * 16,
    {"a": {"b": [1]}},
]  # fmt: skip


def paths(node: Any, above: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Every place in a document."""
    out = [above] if above else []
    items = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    for key, value in items:
        out += paths(value, (*above, key))
    return out


def _at(node: Any, path: tuple[Any, ...]) -> Any:
    for step in path:
        node = node[step]
    return node


@st.composite
def documents(draw: st.DrawFn, document: Any) -> Any:
    """``document`` with one to four of its places changed, removed, doubled or exchanged."""
    out = copy.deepcopy(document)
    for _ in range(draw(st.integers(1, 4))):
        places = paths(out)
        if not places:
            return out
        *above, last = draw(st.sampled_from(places))
        owner = _at(out, tuple(above))
        match draw(st.integers(0, 6)):
            case 0 if isinstance(owner, dict):
                owner.pop(last)
            case 1 if isinstance(owner, list):
                owner.insert(last, copy.deepcopy(owner[last]))
            case 2 if isinstance(owner, dict):
                owner["\ud800" if draw(st.booleans()) else "unknown"] = owner[last]
            case 3:
                owner[last] = copy.deepcopy(_at(out, draw(st.sampled_from(places))))
            case 4 if isinstance(owner[last], (int, float)) and not isinstance(owner[last], bool):
                owner[last] = owner[last] + draw(st.sampled_from([-1, 1, 3, 1000, 2**31]))
            case _:
                owner[last] = copy.deepcopy(draw(st.sampled_from(EDGES)))
    return out


def as_json(document: Any) -> bytes:
    """As bytes of a file; what JSON cannot hold is written all the same, as other programs do."""
    return json.dumps(document).encode("utf-8", "surrogatepass")


@st.composite
def broken(draw: st.DrawFn, data: bytes) -> bytes:
    """``data`` with one to four of: bytes changed, cut off, cut out, repeated, a number of four bytes in the place of
    another.
    """
    out = bytearray(data)
    for _ in range(draw(st.integers(1, 4))):
        at = draw(st.integers(0, max(len(out) - 1, 0)))
        match draw(st.integers(0, 6)):
            case 0:
                out[at : at + 1] = bytes([draw(st.integers(0, 255))])
            case 1:
                del out[at:]
            case 2:
                del out[at : at + draw(st.integers(1, 40))]
            case 3:
                out[at:at] = out[at : at + draw(st.integers(1, 200))] * draw(st.integers(1, 3))
            case 4:
                number = draw(st.sampled_from([0, 1, 2, 255, 2**16, 2**28, 2**31 - 1, 2**31, 2**32 - 1]))
                out[at : at + 4] = struct.pack(draw(st.sampled_from(["<I", ">I"])), number)
            case 5:
                out[at : at + 1] = draw(
                    st.sampled_from([b"nan", b"1e400", b"-1", b"99999999999", b"\xff\xfe", b"\n\n", b" ", b"\0"])
                )
            case _:
                out[at:at] = draw(st.binary(min_size=1, max_size=20))
        if not out:
            return b""
    return bytes(out)
