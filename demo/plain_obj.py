"""A plain OBJ file of a mesh, without UVs or normals: as it comes out of many modelling tools."""

from __future__ import annotations

from limus.surface.mesh import Mesh


def obj_bytes(mesh: Mesh) -> bytes:
    """Positions and faces, one object per part."""
    lines = ["# Kestrel Weir gatehouse"]
    used: dict[int, int] = {}
    for part in mesh.parts:
        lines.append(f"o {part.name}")
        rows = mesh.triangles[part.first : part.first + part.count]
        places = mesh.welded[rows]
        faces = []
        for corners, at in zip(rows.tolist(), places.tolist(), strict=True):
            for vertex, place in zip(corners, at, strict=True):
                if place not in used:
                    used[place] = len(used) + 1
                    x, y, z = mesh.positions[vertex]
                    lines.append(f"v {x:.6f} {y:.6f} {z:.6f}")
            faces.append("f " + " ".join(str(used[place]) for place in at))
        lines += faces
    return ("\n".join(lines) + "\n").encode()
