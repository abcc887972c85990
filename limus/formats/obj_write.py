"""OBJ and MTL out (Wavefront OBJ and MTL formats, appendix B of the 1990s handbook; from memory)."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from limus.surface.mesh import Mesh


@dataclass(frozen=True)
class MtlMaterial:
    """One material: its ``name``, ``maps`` statement -> file, and the ``height`` of black and white in mm."""

    name: str
    maps: Mapping[str, str]
    height: Mapping[str, float] | None = None


def material_name(name: str) -> str:
    """The name without blanks, which end a statement."""
    return "_".join(name.split()) or "material"


def mtl_bytes(materials: Sequence[MtlMaterial]) -> bytes:
    """The MTL file. What a map says is multiplied by nothing: factors are one."""
    out = []
    for one in materials:
        out.append(f"newmtl {material_name(one.name)}\nKd 1 1 1\nKs 0.04 0.04 0.04\nillum 2")
        if one.height is not None:
            # Black lies below the surface: base and gain, in metres as the object is.
            black, white = one.height["black_mm"], one.height["white_mm"]
            out.append(f"# height from {black} mm (black) to {white} mm (white)")
        for statement, file in one.maps.items():
            span = ""
            if statement == "disp" and one.height is not None:
                base, gain = one.height["black_mm"] / 1000, (one.height["white_mm"] - one.height["black_mm"]) / 1000
                span = f"-mm {base:.6g} {gain:.6g} "
            out.append(f"{statement} {span}{file}")
        out.append("")
    return "\n".join(out).encode()


def obj_bytes(mesh: Mesh, mtl: str) -> bytes:
    """The object, one ``o`` for each part and one material for each map set; positions in metres where the file had
    them.
    """
    out = io.BytesIO()
    out.write(f"# metres, y up\nmtllib {mtl}\n".encode())
    where = mesh.positions.astype(np.float64) + np.asarray(mesh.offset, np.float64)
    np.savetxt(out, where, "v %.7g %.7g %.7g")
    if mesh.uv is not None:
        np.savetxt(out, np.stack([mesh.uv[:, 0], 1 - mesh.uv[:, 1]], axis=1), "vt %.7g %.7g")
    np.savetxt(out, mesh.normals, "vn %.5f %.5f %.5f")
    face = " ".join("%d/%d/%d" if mesh.uv is not None else "%d//%d" for _ in range(3))
    for part in mesh.parts:
        domain = mesh.uv_domains[part.map_set]
        out.write(f"o {material_name(part.name)}\nusemtl {material_name(domain)}\n".encode())
        corners = mesh.triangles[part.first : part.first + part.count] + 1
        np.savetxt(out, np.repeat(corners, 3 if mesh.uv is not None else 2, axis=1), f"f {face}")
    return out.getvalue()
