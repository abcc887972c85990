"""USD out: an object with materials of the USD preview surface (UsdPreviewSurface specification 2.6), through the
library of the format's own makers.
"""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from limus.common.errors import InputError
from limus.surface.mesh import Mesh


@dataclass(frozen=True)
class UsdMap:
    """A picture that feeds an input of the surface: ``file`` beside the stage; ``srgb`` colour, else data; what is read
    is multiplied by ``scale`` and ``bias`` added.
    """

    file: str
    srgb: bool = False
    scale: float = 1.0
    bias: float = 0.0


#: Input of the preview surface -> its type.
_TYPES = {"diffuseColor": "Color3f", "emissiveColor": "Color3f", "normal": "Normal3f"}


#: Name of the set of variants.
VARIANTS = "condition"


def usd_bytes(mesh: Mesh, variants: Mapping[str, Sequence[Mapping[str, UsdMap]]], *, name: str) -> bytes:
    """A stage in the binary form (.usdc): metres, y up, one mesh for each part, one material for each map set.

    Parameters
    ----------
    variants : for each condition, and in it for each map set, the inputs of its surface and the maps that feed them.
        Several become a set of variants, the first of them chosen; a single one, named "", is there by itself.

    Raises
    ------
    InputError : the library is not installed.
    """
    try:
        from pxr import Gf, Kind, Sdf, Usd, UsdGeom, UsdShade, Vt
    except ImportError as error:
        raise InputError(
            "USD cannot be written here: its library is missing", where="target", remedy="Install usd-core"
        ) from error
    stage = Usd.Stage.CreateInMemory()
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    taken: set[str] = set()
    root = UsdGeom.Xform.Define(stage, f"/{_free(name, taken)}")
    stage.SetDefaultPrim(root.GetPrim())
    Usd.ModelAPI(root.GetPrim()).SetKind(Kind.Tokens.component)
    if mesh.offset.any():
        root.AddTranslateOp().Set(Gf.Vec3d(*(float(x) for x in mesh.offset)))
    base = root.GetPath()
    UsdGeom.Scope.Define(stage, base.AppendChild("materials"))
    UsdGeom.Scope.Define(stage, base.AppendChild("parts"))
    own: set[str] = set()
    slots = [base.AppendPath(f"materials/{_free(domain, own)}") for domain in mesh.uv_domains]
    own = set()
    prims = []
    for part in mesh.parts:
        corners = mesh.triangles[part.first : part.first + part.count]
        used, index = np.unique(corners, return_inverse=True)
        prim = UsdGeom.Mesh.Define(stage, base.AppendPath(f"parts/{_free(part.name, own)}"))
        points = np.ascontiguousarray(mesh.positions[used], np.float32)
        prim.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(points))
        prim.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(corners), 3, np.int32)))
        prim.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(index.reshape(-1).astype(np.int32)))
        prim.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        prim.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.normals[used], np.float32)))
        prim.SetNormalsInterpolation(UsdGeom.Tokens.vertex)
        prim.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.stack([points.min(axis=0), points.max(axis=0)])))
        about = UsdGeom.PrimvarsAPI(prim)
        if mesh.uv is not None:
            # Their v counts from the lower edge.
            uv = np.stack([mesh.uv[used, 0], 1 - mesh.uv[used, 1]], axis=1).astype(np.float32)
            st = about.CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.vertex)
            st.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(uv)))
        if mesh.colours is not None:
            shown = about.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.vertex)
            shown.Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(mesh.colours[used, :3], np.float32)))
        prims.append((prim.GetPrim(), slots[part.map_set]))

    def bound(materials: Sequence[Mapping[str, UsdMap]]) -> None:
        made = {path: _material(stage, UsdShade, Sdf, path, maps) for path, maps in zip(slots, materials, strict=True)}
        for prim, path in prims:
            UsdShade.MaterialBindingAPI.Apply(prim).Bind(made[path])

    if list(variants) == [""]:
        bound(variants[""])
    else:
        choice, own = root.GetPrim().GetVariantSets().AddVariantSet(VARIANTS), set()
        words = {condition: _free(condition, own) for condition in variants}
        for condition, materials in variants.items():
            choice.AddVariant(words[condition])
            choice.SetVariantSelection(words[condition])
            with choice.GetVariantEditContext():
                bound(materials)
        choice.SetVariantSelection(words[next(iter(variants))])
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "stage.usdc"
        stage.GetRootLayer().Export(str(path))
        return path.read_bytes()


def _material(stage: Any, UsdShade: Any, Sdf: Any, path: Any, maps: Mapping[str, UsdMap]) -> Any:
    types = Sdf.ValueTypeNames
    material = UsdShade.Material.Define(stage, path)
    surface = UsdShade.Shader.Define(stage, path.AppendChild("surface"))
    surface.CreateIdAttr("UsdPreviewSurface")
    material.CreateSurfaceOutput().ConnectToSource(surface.ConnectableAPI(), "surface")
    reader = UsdShade.Shader.Define(stage, path.AppendChild("uv"))
    reader.CreateIdAttr("UsdPrimvarReader_float2")
    reader.CreateInput("varname", types.String).Set("st")
    uv = reader.CreateOutput("result", types.Float2)
    for wanted, one in maps.items():
        texture = UsdShade.Shader.Define(stage, path.AppendChild(f"{wanted}Map"))
        texture.CreateIdAttr("UsdUVTexture")
        texture.CreateInput("file", types.Asset).Set(f"./{one.file}")
        texture.CreateInput("sourceColorSpace", types.Token).Set("sRGB" if one.srgb else "raw")
        for way in ("wrapS", "wrapT"):
            texture.CreateInput(way, types.Token).Set("repeat")
        texture.CreateInput("st", types.Float2).ConnectToSource(uv)
        if (one.scale, one.bias) != (1.0, 0.0):
            texture.CreateInput("scale", types.Float4).Set((one.scale, one.scale, one.scale, 1.0))
            texture.CreateInput("bias", types.Float4).Set((one.bias, one.bias, one.bias, 0.0))
        kind = _TYPES.get(wanted, "Float")
        given = texture.CreateOutput(
            "r" if kind == "Float" else "rgb", types.Float if kind == "Float" else types.Float3
        )
        surface.CreateInput(wanted, getattr(types, kind)).ConnectToSource(given)
        if wanted == "displacement":
            material.CreateDisplacementOutput().ConnectToSource(surface.ConnectableAPI(), "displacement")
    surface.CreateOutput("surface", types.Token)
    if "displacement" in maps:
        surface.CreateOutput("displacement", types.Token)
    return material


def _free(name: str, taken: set[str]) -> str:
    """An identifier of USD that is not taken yet."""
    kept = "".join(c if c.isascii() and (c.isalnum() or c == "_") else "_" for c in name).strip("_")[:60] or "object"
    kept = f"_{kept}" if kept[0].isdigit() else kept
    own, k = kept, 1
    while own in taken:
        k += 1
        own = f"{kept}_{k}"
    taken.add(own)
    return own
