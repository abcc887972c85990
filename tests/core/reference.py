"""General-purpose packages of the npm registry that the front end installs for tests: a tangent reference and a
scanned animal.
"""

from __future__ import annotations

import json
import subprocess
import tempfile
from functools import lru_cache
from pathlib import Path

import numpy as np

NODE_MODULES = Path(__file__).resolve().parents[2] / "web" / "node_modules"
_TANGENTS = """
const fs = require('fs'); const { generateTangents } = require(process.argv[1])
const read = n => new Float32Array(new Uint8Array(fs.readFileSync(process.argv[2] + '/' + n)).buffer)
const out = generateTangents(read('p'), read('n'), read('t'))
fs.writeFileSync(process.argv[2] + '/out', Buffer.from(out.buffer, out.byteOffset, out.byteLength))
"""


def mikktspace(positions: np.ndarray, normals: np.ndarray, uv: np.ndarray) -> np.ndarray:
    """(T, 3, 4) tangents of (T, 3, .) corners by the reference implementation of MikkTSpace (npm package mikktspace
    1.1.1).
    """
    with tempfile.TemporaryDirectory() as folder:
        for name, array in (("p", positions), ("n", normals), ("t", uv)):
            (Path(folder) / name).write_bytes(np.ascontiguousarray(array, np.float32).tobytes())
        subprocess.run(
            ["node", "-e", _TANGENTS, str(NODE_MODULES / "mikktspace"), folder],
            check=True,
            capture_output=True,
            text=True,
        )
        return np.frombuffer((Path(folder) / "out").read_bytes(), np.float32).reshape(-1, 3, 4)


@lru_cache(maxsize=1)
def bunny() -> tuple[np.ndarray, np.ndarray]:
    """Positions (V, 3) and triangles (T, 3) of the scanned rabbit of npm package bunny 1.0.1 (public domain); no UVs,
    no normals.
    """
    script = "const b = require(process.argv[1]); console.log(JSON.stringify([b.positions, b.cells]))"
    done = subprocess.run(
        ["node", "-e", script, str(NODE_MODULES / "bunny")], check=True, capture_output=True, text=True
    )
    positions, cells = json.loads(done.stdout)
    return np.array(positions, np.float64), np.array(cells, np.int64)
