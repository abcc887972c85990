"""A base as a MaterialX document with an OpenPBR surface (MaterialX 1.39; OpenPBR Surface 1.1)."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from xml.etree import ElementTree as Xml

import numpy as np


@dataclass(frozen=True)
class MapNode:
    """A picture that feeds a channel: ``component`` "" for all of it, else "r", "g", "b" or "a"; ``srgb`` colour."""

    file: str
    component: str = ""
    srgb: bool = False
    invert: bool = False


def _number(value: float) -> str:
    return f"{value:.6g}"


def materialx(
    name: str,
    values: Mapping[str, np.ndarray],
    maps: Mapping[str, MapNode],
    inputs: Mapping[str, tuple[str, float]],
    *,
    normal: MapNode | None = None,
    height: MapNode | None = None,
    green: str = "up",
    repeats: float = 1.0,
) -> bytes:
    """The document.

    Parameters
    ----------
    values : one value for each channel, () or (3,). maps : channels that a picture feeds. inputs : channel -> (input of
        the surface, by what its numbers are multiplied there); others are left out. normal : a tangent-space normal
        map, whose green points ``green``. height : a map of heights in mm. repeats : tiles over the unit square of the
        UVs.
    """
    root = Xml.Element("materialx", version="1.39", colorspace="lin_rec709")
    pictured = maps or normal is not None or height is not None
    maps_group = Xml.SubElement(root, "nodegraph", name="maps") if pictured else None
    nodes: dict[tuple[str, str], str] = {}

    def image(node: MapNode, kind: str) -> str:
        assert maps_group is not None
        key = (node.file, kind)
        if key not in nodes:
            own = nodes[key] = f"map_{len(nodes) + 1}"
            made = Xml.SubElement(maps_group, "tiledimage", name=own, type=kind)
            file = Xml.SubElement(made, "input", name="file", type="filename", value=node.file)
            if node.srgb:
                file.set("colorspace", "srgb_texture")
            Xml.SubElement(
                made, "input", name="uvtiling", type="vector2", value=f"{_number(repeats)}, {_number(repeats)}"
            )
        return nodes[key]

    def output(channel: str, source: str, kind: str) -> str:
        assert maps_group is not None
        Xml.SubElement(maps_group, "output", name=f"out_{channel}", type=kind, nodename=source)
        return f"out_{channel}"

    surface = Xml.SubElement(root, "open_pbr_surface", name="surface", type="surfaceshader")
    for channel, value in values.items():
        if channel not in inputs:
            continue
        wanted, times = inputs[channel]
        color = np.ndim(value) == 1
        kind = "color3" if color else "float"
        node = maps.get(channel)
        if node is None or maps_group is None:
            text = ", ".join(_number(float(x)) for x in value) if color else _number(float(value) * times)
            Xml.SubElement(surface, "input", name=wanted, type=kind, value=text)
            continue
        source = image(
            node, "float" if not color and not node.component else "color3" if node.component != "a" else "color4"
        )
        if node.component:
            picked = f"{source}_{channel}"
            extract = Xml.SubElement(maps_group, "extract", name=picked, type="float")
            Xml.SubElement(
                extract, "input", name="in", type="color4" if node.component == "a" else "color3", nodename=source
            )
            Xml.SubElement(extract, "input", name="index", type="integer", value=str("rgba".index(node.component)))
            source = picked
        if node.invert:
            turned = f"{source}_{channel}_turned"
            invert = Xml.SubElement(maps_group, "invert", name=turned, type=kind)
            Xml.SubElement(invert, "input", name="in", type=kind, nodename=source)
            source = turned
        if times != 1:
            scaled = f"{source}_{channel}_scaled"
            multiply = Xml.SubElement(maps_group, "multiply", name=scaled, type=kind)
            Xml.SubElement(multiply, "input", name="in1", type=kind, nodename=source)
            Xml.SubElement(multiply, "input", name="in2", type="float", value=_number(times))
            source = scaled
        Xml.SubElement(surface, "input", name=wanted, type=kind, nodegraph="maps", output=output(channel, source, kind))
    if normal is not None and maps_group is not None:
        source = image(MapNode(normal.file), "vector3")
        if green == "down":
            flip = Xml.SubElement(maps_group, "multiply", name="normal_up", type="vector3")
            Xml.SubElement(flip, "input", name="in1", type="vector3", nodename=source)
            Xml.SubElement(flip, "input", name="in2", type="vector3", value="1, -1, 1")
            shift = Xml.SubElement(maps_group, "add", name="normal_back", type="vector3")
            Xml.SubElement(shift, "input", name="in1", type="vector3", nodename="normal_up")
            Xml.SubElement(shift, "input", name="in2", type="vector3", value="0, 1, 0")
            source = "normal_back"
        bumped = Xml.SubElement(maps_group, "normalmap", name="normal", type="vector3")
        Xml.SubElement(bumped, "input", name="in", type="vector3", nodename=source)
        # What is laid over it, a coat or a film, follows the relief.
        bumped_out = output("normal", "normal", "vector3")
        for wanted in ("geometry_normal", "geometry_coat_normal"):
            Xml.SubElement(surface, "input", name=wanted, type="vector3", nodegraph="maps", output=bumped_out)
    material = Xml.SubElement(root, "surfacematerial", name=_name(name), type="material")
    Xml.SubElement(material, "input", name="surfaceshader", type="surfaceshader", nodename="surface")
    if height is not None and maps_group is not None:
        raised = output("height", image(height, "float"), "float")
        # Millimetres to units of the scene, metres.
        displaced = Xml.Element("displacement", name="relief", type="displacementshader")
        Xml.SubElement(displaced, "input", name="displacement", type="float", nodegraph="maps", output=raised)
        Xml.SubElement(displaced, "input", name="scale", type="float", value="0.001")
        root.insert(list(root).index(material), displaced)
        Xml.SubElement(material, "input", name="displacementshader", type="displacementshader", nodename="relief")
    Xml.indent(root)
    return b'<?xml version="1.0"?>\n' + Xml.tostring(root) + b"\n"


def _name(text: str) -> str:
    """A name that MaterialX takes."""
    kept = "".join(c if c.isascii() and c.isalnum() else "_" for c in text).strip("_")
    return f"base_{kept}" if not kept or kept[0].isdigit() else kept
