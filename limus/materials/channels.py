"""The channels of a material, each declared once, in the terms of OpenPBR.

A *sheet* maps names of channels to values: one value where it is the same everywhere (a number, or (3,) for colours),
else one per texel ((n,) or (n, 3) float32). A channel that is not in a sheet has its default; what nothing uses costs
nothing.

Layers speak in *voices*, groups of channels that mean something only together: a clear coat is a weight, a roughness,
an index of refraction and a tint.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np

Voice = Literal[
    "base_color", "metalness", "roughness", "specular", "clear_coat", "fuzz", "subsurface", "thin_film",
    "transmission", "opacity",
    "emission", "glints", "relief",
]  # fmt: skip
VOICES: dict[str, str] = {
    "base_color": "Base color",
    "metalness": "Metalness",
    "roughness": "Roughness",
    "specular": "Specular",
    "clear_coat": "Clear coat",
    "fuzz": "Fuzz",
    "subsurface": "Subsurface",
    "thin_film": "Thin film",
    "transmission": "Transmission",
    "opacity": "Opacity",
    "emission": "Emission",
    "glints": "Glints",
    "relief": "Relief",
}
Sheet = Mapping[str, np.ndarray]


@dataclass(frozen=True)
class Channel:
    """One quantity of a material.

    Attributes
    ----------
    voice : the group in which layers switch it. default : one number, or three for a colour. low, high : its range.
    colour : linear Rec. 709, encoded to sRGB at the edges; else data, never converted.
    ramp : how it is looked through, a table of ``review.look``, or "" for colours.
    packed : (picture, component) where the view and glTF carry it, components 0 to 3 of RGBA; pictures of several
        channels are sent only where one of them is used. Without a picture it is multiplied into another channel (see
        ``encode.TIMES``). ``full`` is
        the value that a byte of 255 stands for.
    gltf : path in a material of glTF 2.0 or of an extension ("KHR_materials_clearcoat.clearcoatTexture") that carries
        it in a GLB; "" where none does. Of several channels of one picture each has its own path.
    openpbr : input of an OpenPBR surface (MaterialX); "" where it is called like the channel, "-" where there is none.
        ``openpbr_times`` takes the channel's unit to that of the input: it counts films in micrometres, and scatters in
        units of the scene, metres here.
    number : renderers take it as one number for a whole map set: the mean over the surface.
    covered : a coat that hides what is below it takes the channel back to its default, unless it says otherwise itself.
    about : what it means, with its unit.
    """

    name: str
    title: str
    voice: str
    default: tuple[float, ...]
    about: str
    low: float = 0.0
    high: float = 1.0
    unit: str = ""
    colour: bool = False
    ramp: str = "grey"
    packed: tuple[str, int] = ("", 0)
    full: float = 1.0
    covered: bool = True
    gltf: str = ""
    number: bool = False
    openpbr: str = ""
    openpbr_times: float = 1.0

    @property
    def input(self) -> str:
        """Its input of an OpenPBR surface, or "" where there is none."""
        return "" if self.openpbr == "-" else self.openpbr or self.name

    @property
    def width(self) -> int:
        """Numbers per texel."""
        return len(self.default)

    @property
    def file(self) -> str:
        """Its name in files of map exports."""
        return _FILES.get(self.name, self.name.replace("_", "-"))

    def plain(self) -> np.ndarray:
        """The default as a value of a sheet: () or (3,) float32."""
        return np.array(self.default if self.width > 1 else self.default[0], np.float32)


#: Names of exported files that differ from the channel's own; studios have rules that look for them.
_FILES = {"coat_weight": "clear-coat", "coat_roughness": "clear-coat-roughness"}
_WHITE = (1.0, 1.0, 1.0)

#: Every channel by name, in the order in which they are shown. Relief is not among them: it is not covered but summed,
#: see ``strata``.
CHANNELS: dict[str, Channel] = {
    channel.name: channel
    for channel in (
        Channel(
            "base_color",
            "Base color",
            "base_color",
            (0.5, 0.5, 0.5),
            "Diffuse albedo, or reflectance of metal",
            colour=True,
            ramp="",
            packed=("base_color", 0),
            gltf="pbrMetallicRoughness.baseColorTexture",
        ),
        Channel(
            "metalness",
            "Metalness",
            "metalness",
            (0.0,),
            "0 dielectric, 1 metal",
            packed=("orm", 2),
            gltf="pbrMetallicRoughness.metallicRoughnessTexture",
            openpbr="base_metalness",
        ),
        Channel(
            "roughness",
            "Roughness",
            "roughness",
            (0.5,),
            "0 mirror, 1 matt",
            packed=("orm", 1),
            gltf="pbrMetallicRoughness.metallicRoughnessTexture",
            openpbr="specular_roughness",
        ),
        Channel(
            "specular_weight",
            "Specular weight",
            "specular",
            (1.0,),
            "Strength of the reflection",
            packed=("specular", 3),
            gltf="KHR_materials_specular.specularTexture",
        ),
        Channel(
            "specular_color",
            "Specular color",
            "specular",
            _WHITE,
            "Tint of the reflection; of metal at grazing angles",
            colour=True,
            ramp="",
            packed=("specular", 0),
            gltf="KHR_materials_specular.specularColorTexture",
        ),
        Channel(
            "specular_ior",
            "Specular IOR",
            "specular",
            (1.5,),
            "Index of refraction",
            1.0,
            3.0,
            packed=("indices", 0),
            full=3.0,
            gltf="KHR_materials_ior.ior",
            number=True,
        ),
        Channel(
            "coat_weight",
            "Clear coat",
            "clear_coat",
            (0.0,),
            "Weight of the clear coat",
            packed=("clear_coat", 0),
            gltf="KHR_materials_clearcoat.clearcoatTexture",
        ),
        Channel(
            "coat_roughness",
            "Clear coat roughness",
            "clear_coat",
            (0.1,),
            "0 mirror, 1 matt",
            packed=("clear_coat", 1),
            gltf="KHR_materials_clearcoat.clearcoatRoughnessTexture",
        ),
        Channel(
            "coat_ior",
            "Clear coat IOR",
            "clear_coat",
            (1.6,),
            "Index of refraction of the clear coat",
            1.0,
            3.0,
            packed=("indices", 1),
            full=3.0,
            number=True,
        ),
        Channel(
            "coat_color",
            "Clear coat tint",
            "clear_coat",
            _WHITE,
            "What the clear coat lets through",
            colour=True,
            ramp="",
            packed=("tint", 0),
        ),
        Channel(
            "fuzz_weight",
            "Fuzz",
            "fuzz",
            (0.0,),
            "Weight of the fuzz: dust, moss, cloth",
            gltf="KHR_materials_sheen.sheenColorTexture",
        ),
        Channel(
            "fuzz_color",
            "Fuzz color",
            "fuzz",
            _WHITE,
            "Color of the fuzz",
            colour=True,
            ramp="",
            packed=("fuzz", 0),
            gltf="KHR_materials_sheen.sheenColorTexture",
        ),
        Channel(
            "fuzz_roughness",
            "Fuzz roughness",
            "fuzz",
            (0.5,),
            "How widely the fuzz scatters",
            packed=("fuzz", 3),
            gltf="KHR_materials_sheen.sheenRoughnessTexture",
        ),
        Channel(
            "subsurface_weight",
            "Subsurface",
            "subsurface",
            (0.0,),
            "Share of the light that scatters inside",
            packed=("subsurface", 3),
        ),
        Channel(
            "subsurface_color",
            "Subsurface color",
            "subsurface",
            (0.8, 0.8, 0.8),
            "Color of what comes out again",
            colour=True,
            ramp="",
            packed=("subsurface", 0),
        ),
        Channel(
            "subsurface_radius",
            "Subsurface radius",
            "subsurface",
            (1.0,),
            "How far light goes inside",
            0.0,
            1000.0,
            "mm",
            packed=("scatter", 3),
            full=64.0,
            number=True,
            openpbr_times=0.001,
        ),
        Channel(
            "subsurface_scale",
            "Subsurface scale",
            "subsurface",
            (1.0, 0.5, 0.25),
            "Radius of red, green and blue against each other",
            ramp="",
            packed=("scatter", 0),
            openpbr="subsurface_radius_scale",
        ),
        Channel(
            "thin_film_weight",
            "Thin film",
            "thin_film",
            (0.0,),
            "Weight of the iridescent film",
            packed=("film", 0),
            gltf="KHR_materials_iridescence.iridescenceTexture",
        ),
        Channel(
            "thin_film_thickness",
            "Thin film thickness",
            "thin_film",
            (500.0,),
            "Thickness of the film",
            0.0,
            2000.0,
            "nm",
            packed=("film", 1),
            full=2000.0,
            gltf="KHR_materials_iridescence.iridescenceThicknessTexture",
            openpbr_times=0.001,
        ),
        Channel(
            "thin_film_ior",
            "Thin film IOR",
            "thin_film",
            (1.4,),
            "Index of refraction of the film",
            1.0,
            3.0,
            packed=("indices", 2),
            full=3.0,
            gltf="KHR_materials_iridescence.iridescenceIor",
            number=True,
        ),
        Channel(
            "transmission_weight",
            "Transmission",
            "transmission",
            (0.0,),
            "Share of the light that goes through",
            packed=("transmission", 0),
            gltf="KHR_materials_transmission.transmissionTexture",
        ),
        Channel(
            "transmission_color",
            "Transmission color",
            "transmission",
            _WHITE,
            "What is left of white after the depth",
            colour=True,
            ramp="",
            packed=("through", 0),
            gltf="KHR_materials_volume.attenuationColor",
        ),
        Channel(
            "transmission_depth",
            "Transmission depth",
            "transmission",
            (0.0,),
            "Way after which the colour is reached; 0: at the surface",
            0.0,
            100000.0,
            "mm",
            packed=("through", 3),
            full=1000.0,
            gltf="KHR_materials_volume.attenuationDistance",
            number=True,
            openpbr_times=0.001,
        ),
        Channel(
            "opacity",
            "Opacity",
            "opacity",
            (1.0,),
            "0: not there at all",
            packed=("base_color", 3),
            covered=False,
            gltf="pbrMetallicRoughness.baseColorTexture",
            number=True,
            openpbr="geometry_opacity",
        ),
        Channel(
            "emission_color",
            "Emission color",
            "emission",
            _WHITE,
            "Color of its own light",
            colour=True,
            ramp="",
            packed=("emission", 0),
            gltf="emissiveTexture",
        ),
        Channel(
            "emission_luminance",
            "Emission",
            "emission",
            (0.0,),
            "Luminance of its own light",
            0.0,
            100000.0,
            "cd/m²",
            full=1000.0,
            gltf="KHR_materials_emissive_strength.emissiveStrength",
        ),
        Channel(
            "glint_density",
            "Glints",
            "glints",
            (0.0,),
            "Share of small mirrors that may flash",
            packed=("sparkle", 0),
            openpbr="-",
        ),
    )
}
#: voice -> the names of its channels
CHANNELS_OF: dict[str, tuple[str, ...]] = {
    voice: tuple(name for name, channel in CHANNELS.items() if channel.voice == voice) for voice in VOICES
}


def one(value: float | tuple[float, ...]) -> np.ndarray:
    """A number or a colour as a value of a sheet that is the same everywhere."""
    return np.array(value, np.float32)


def is_even(value: np.ndarray, channel: Channel) -> bool:
    """Whether it is one value, the same everywhere."""
    return value.ndim < (2 if channel.width > 1 else 1)


def spread(value: np.ndarray, channel: Channel, count: int) -> np.ndarray:
    """(count,) or (count, 3) of a value; a read-only view where it is the same everywhere."""
    if not is_even(value, channel):
        return value
    return np.broadcast_to(value, (count, channel.width) if channel.width > 1 else (count,))


def at_rows(sheet: Sheet, rows: np.ndarray) -> dict[str, np.ndarray]:
    """The sheet at chosen texels."""
    return {name: value if is_even(value, CHANNELS[name]) else value[rows] for name, value in sheet.items()}
