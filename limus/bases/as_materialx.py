"""A base as a MaterialX document: its maps by name, and one value for each channel that no map feeds."""

from __future__ import annotations

import numpy as np

from limus.bases.choice import BaseChoice
from limus.bases.ground import Ground
from limus.bases.laying import finished, laid
from limus.bases.materials.map_set import MapSet
from limus.bases.site import Site
from limus.formats.materialx_write import MapNode, materialx
from limus.map_sets.roles import ROLES
from limus.materials.channels import CHANNELS, spread

#: Channel -> (input of the surface, by what its numbers are multiplied there).
INPUTS = {c.name: (c.input, c.openpbr_times) for c in CHANNELS.values() if c.input}


def base_materialx(choice: BaseChoice, *, seed: int = 1) -> bytes:
    """The document. Materials made by the program go out with the means of their channels over a square metre; their
    maps are made for an object when it is exported.
    """
    material = choice.material
    if isinstance(material, MapSet):
        plain = MapSet(green=material.green)
        values = dict(plain.lay(_ground()).sheet)
        maps: dict[str, MapNode] = {}
        for use in material.maps:
            role = ROLES.get(use.role)
            if role is None or not role.channel:
                continue
            component = "" if use.component == "all" else use.component.lower()
            maps[role.channel] = MapNode(use.file, component, use.colour == "srgb", invert=use.role == "gloss")
            values.setdefault(role.channel, CHANNELS[role.channel].plain())
        # A level map is not an index of refraction, and MaterialX has no node that turns one into the other.
        maps.pop("specular_ior", None)
        normal = material.use("normal")
        return materialx(
            choice.title,
            values,
            maps,
            INPUTS,
            normal=MapNode(normal.file) if normal is not None else None,
            green=material.green,
            repeats=100.0 / choice.placing.size_cm,
        )
    at = np.random.Generator(np.random.PCG64(3)).uniform(-0.5, 0.5, (4096, 3)).astype(np.float32)
    normals = np.tile(np.array([[0, 0, 1]], np.float32), (len(at), 1))
    skin = finished(choice, laid(choice, Site(at, normals, 1.0), seed))
    means = {
        name: spread(value, CHANNELS[name], len(at)).mean(axis=0).astype(np.float32)
        for name, value in skin.sheet.items()
    }
    return materialx(choice.title, means, {}, INPUTS)


def _ground() -> Ground:
    return Ground(np.zeros((1, 3), np.float32), np.array([[0, 0, 1]], np.float32), 1.0)
