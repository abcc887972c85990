"""Tangent frames against the reference implementation of MikkTSpace (npm package mikktspace)."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase, skipUnless

import numpy as np

from demo import gate_hoist, gauge_board
from limus.surface.mesh import Mesh
from limus.surface.tangents import corner_tangents
from tests.core import shapes
from tests.core.reference import NODE_MODULES, mikktspace


@skipUnless((NODE_MODULES / "mikktspace").exists(), "the reference is installed with the front end")
class AgainstTheReference(TestCase):
    def compare(self, mesh: Mesh, worst_deg: float, share: float = 1.0) -> None:
        """``share`` of the corners agree within ``worst_deg``, and every handedness is the same."""
        mesh = replace(mesh, tangents=None)
        assert mesh.uv is not None
        tri = mesh.triangles
        wanted = mikktspace(mesh.positions[tri], mesh.normals[tri], mesh.uv[tri])
        tangent, hand = corner_tangents(mesh)
        # The reference counts v upwards and glTF downwards, so its sign is the other one.
        np.testing.assert_array_equal(-np.sign(wanted[:, :, 3]), np.broadcast_to(hand[:, None], (len(tri), 3)))
        angle = np.degrees(np.arccos(np.clip(np.einsum("tki,tki->tk", tangent, wanted[:, :, :3]), -1, 1)))
        self.assertGreaterEqual(
            float((angle <= worst_deg).mean()), share, f"{mesh.source}: {np.sort(angle.ravel())[-5:]}"
        )

    def test_smooth_and_flat(self) -> None:
        self.compare(shapes.box(1.0), 0.1)
        self.compare(shapes.plane(0.4, 30.0), 0.1)
        self.compare(shapes.cylinder(), 0.1)
        # At the poles whole fans of slivers share a point.
        self.compare(shapes.sphere(0.3, 24), 0.1, 0.97)

    def test_mirrored_halves(self) -> None:
        # Two halves with mirrored UVs that meet in a line: tangents are not mixed across it.
        theta = np.linspace(-1.2, 1.2, 25)
        points = np.stack(
            np.broadcast_arrays(np.sin(theta)[None], np.linspace(0, 1, 5)[:, None], np.cos(theta)[None]), axis=2
        )
        u = 0.05 + 0.9 * np.abs(theta) / 1.2
        uv = np.stack(np.broadcast_arrays(u[None], np.linspace(0.95, 0.05, 5)[:, None]), axis=2)
        self.compare(shapes.grid(points, "mirror.glb", uv), 0.1)

    def test_demo_objects(self) -> None:
        self.compare(gate_hoist.build(), 0.1, 0.998)
        self.compare(gauge_board.build(), 0.1, 0.999)

    def test_the_comparison_can_fail(self) -> None:
        mesh = shapes.cylinder()
        wanted = mikktspace(
            mesh.positions[mesh.triangles], mesh.normals[mesh.triangles], mesh.uv[mesh.triangles][:, :, ::-1]
        )  # type: ignore[index]
        tangent, _ = corner_tangents(mesh)
        self.assertLess(float(np.einsum("tki,tki->tk", tangent, wanted[:, :, :3]).min()), 0.5)
