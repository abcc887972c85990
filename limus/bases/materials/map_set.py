"""A base made of texture files."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from limus.bases.base_material import BaseMaterial
from limus.bases.ground import Ground, Skin
from limus.common.colour import luminance
from limus.common.errors import InputError
from limus.common.fields import choice, number
from limus.common.hashing import key_of
from limus.common.refusal import refusal
from limus.common.store import shared
from limus.formats.picture_read import ReadPicture, read_picture
from limus.map_sets.normal_map import integrated
from limus.map_sets.picture_level import level_of, reduction, resized
from limus.map_sets.recognise import COMPONENTS, MOST_FILES, MapUse
from limus.map_sets.roles import ROLES
from limus.materials.channels import CHANNELS, one
from limus.materials.optics import index_from_reflectance, reflectance_from_level, roughness_from_gloss
from limus.materials.substance import Substance
from limus.patterns.by_example import Laid, lay_flat, lay_on_sides, prepared

#: Most pixels across that are laid at once; finer ones are averaged.
MOST_ACROSS = 4096
#: Most numbers of all maps of a set together.
MOST_NUMBERS = 160 << 20
#: Height of a relief where nothing tells it, as a share of the tile's width (common practice, no source).
USUAL_SHARE = 0.02


class MapSet(BaseMaterial):
    """Files in their roles, and how high their relief is."""

    kind: Literal["map_set"] = "map_set"
    title: ClassVar[str] = "Map set"
    summary: ClassVar[str] = "Texture files of your own"
    substance: ClassVar[Substance] = Substance("mineral", porosity=0.1, brittleness=0.6)
    solid: ClassVar[bool] = False
    tile: ClassVar[bool] = True

    maps: list[MapUse] = Field(default_factory=list, max_length=MOST_FILES * 4, title="Maps")
    green: Literal["up", "down"] = choice(
        "up", "Green points", "In its normal map", up="up (as glTF has it)", down="down"
    )
    relief_from: Literal["height", "normal", "both"] = choice(
        "both", "Relief from",
        "Its wide forms from the height map, its fine ones from the normal map, or all from one of them",
        height="the height map", normal="the normal map", both="both",
    )  # fmt: skip
    range_mm: float | None = Field(
        None, ge=-1000.0, le=1000.0, title="Relief range",
        description="Height of white over black; below 0 black is high",
        json_schema_extra={"control": "optional", "unit": "mm", "soft": [-20.0, 60.0],
            "empty": "found from the maps", "start": 5.0, "scale": "linear"},
    )  # fmt: skip
    range_share: float = Field(
        0.0, ge=-1.0, le=1.0, description="What was found, as a share of the tile's width; 0: nothing"
    )
    middle: float = number(0.5, "Middle", "%", 0.0, 1.0, about="The grey that is neither high nor low")
    bump_mm: float = number(0.5, "Bump", "mm", -50.0, 50.0, (-2.0, 2.0), "Height of white over black in its bump map")

    @field_validator("maps")
    @classmethod
    def _known(cls, maps: list[MapUse]) -> list[MapUse]:
        taken: set[str] = set()
        for use in maps:
            if use.role != "left out" and use.role not in ROLES:
                raise refusal("", f"'{use.role}' is not a role", f"Use one of: left out, {', '.join(ROLES)}")
            if use.role != "left out" and use.role in taken:
                raise refusal("", f"two maps are '{use.role}'", "Leave one of them out")
            taken.add(use.role)
        if {"roughness", "gloss"} <= taken:
            raise refusal("", "there is a roughness and a gloss map", "Leave one of them out")
        return maps

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files in use."""
        return tuple(dict.fromkeys(use.file for use in self.maps if use.role != "left out"))

    def use(self, role: str) -> MapUse | None:
        """The map in this role."""
        return next((u for u in self.maps if u.role == role), None)

    def range_for(self, tile_mm: float) -> float:
        """Height of white over black in mm for a tile of this width."""
        if self.range_mm is not None:
            return self.range_mm
        return (self.range_share or USUAL_SHARE) * tile_mm

    def lay(self, ground: Ground) -> Skin:
        """All maps in one go, read at the same places, so that they stay together where repetition is broken."""
        placing = ground.placing
        tile_mm = placing.size_cm * 10.0
        if not self.files:
            return Skin(
                {"base_color": one((0.5, 0.5, 0.5)), "metalness": one(0.0), "roughness": one(0.6)},
                np.zeros(len(ground), np.float32),
            )
        # A pixel for about a texel; scales of patches down to 70 % are within that.
        gaussian = placing.broken
        finest = min(1.0, placing.patches.low / 0.7) if gaussian else 1.0
        across = tile_mm * min(1.0, placing.stretch) * finest
        laid, layout = self._laid(ground, across / max(ground.texel_mm, 1e-6), gaussian)
        offset = (-placing.across_cm / placing.size_cm, placing.up_cm / placing.size_cm)
        how = {
            "break_up": placing.broken,
            "patches": placing.patches,
            "seed": ground.seed * 31 + 5,
        }
        if placing.way == "uv" and ground.uv_mm is not None:
            a = np.radians(placing.turn_deg)
            x, y = ground.uv_mm[:, 0] / tile_mm, ground.uv_mm[:, 1] / tile_mm
            tall = laid.codes.shape[0] / laid.codes.shape[1] * placing.stretch
            u, v = np.cos(a) * x - np.sin(a) * y + offset[0], (np.sin(a) * x + np.cos(a) * y) / tall + offset[1]
            planes = lay_flat(laid, u, v, **how)  # type: ignore[arg-type]
        else:
            points = ground.points * (1000.0 / tile_mm)
            planes = lay_on_sides(
                laid,
                points,
                ground.normals,
                hard=placing.way == "box",
                turn_deg=placing.turn_deg,
                offset=offset,
                stretch=placing.stretch,
                **how,  # type: ignore[arg-type]
            )
        return self._skin(planes, layout, tile_mm)

    def _read(self, ground: Ground, file: str) -> ReadPicture:
        if ground.files is None:
            raise InputError("pictures cannot be found here", where="material.maps", remedy="Use a scene document")
        return read_picture(ground.files(file), file.rsplit("/", 1)[-1])

    def _laid(self, ground: Ground, wanted: float, gaussian: bool) -> tuple[Laid, dict[str, int]]:
        pictures = {file: self._read(ground, file) for file in self.files}
        widest = max(p.pixels.shape[1] for p in pictures.values())
        times = reduction(widest, min(wanted, MOST_ACROSS))
        tall = max(p.pixels.shape[0] for p in pictures.values())
        while (
            widest // times > MOST_ACROSS or (widest // times) * (tall // times) * (len(self.files) + 2) > MOST_NUMBERS
        ):
            times *= 2
        assert ground.files is not None
        places = [ground.files(file) for file in self.files]
        stamp = [[str(p.resolve()), p.stat().st_size, p.stat().st_mtime_ns] for p in places]
        found: tuple[Laid, dict[str, int]] = shared().get(
            key_of(
                "laid maps",
                stamp,
                [u.model_dump() for u in self.maps],
                self.green,
                self.relief_from,
                self.range_share,
                times,
                gaussian,
            ),
            lambda: self._prepare(pictures, widest // times, gaussian),
        )
        return found

    def _prepare(self, pictures: dict[str, ReadPicture], width: int, gaussian: bool) -> tuple[Laid, dict[str, int]]:
        largest = max(pictures.values(), key=lambda p: p.pixels.shape[1])
        height = max(1, round(width * largest.pixels.shape[0] / largest.pixels.shape[1]))

        def level(use: MapUse) -> np.ndarray:
            picture = pictures[use.file]
            gamma = (picture.gamma or 2.2) if use.colour == "srgb" else 1.0
            planes = level_of(picture, reduction(picture.pixels.shape[1], width), gamma=gamma)
            return resized(planes, height, width)

        def grey(use: MapUse) -> np.ndarray:
            planes = level(use)
            if use.component != "all":
                return planes[:, :, min(COMPONENTS.index(use.component), planes.shape[2] - 1)]
            return luminance(planes[:, :, :3]) if planes.shape[2] >= 3 else planes[:, :, 0]

        stack: list[np.ndarray] = []
        layout: dict[str, int] = {}
        colours: list[int] = []
        for use in self.maps:
            if use.role in ("left out", "normal", "height"):
                continue
            layout[use.role] = len(stack)
            role = ROLES[use.role]
            if role.kind == "colour" or (role.channel in CHANNELS and CHANNELS[role.channel].width == 3):
                planes = level(use)
                if use.component != "all":
                    planes = grey(use)[:, :, None]
                colours.append(len(stack))
                three = planes[:, :, :3] if planes.shape[2] >= 3 else np.repeat(planes[:, :, :1], 3, axis=2)
                stack += [three[:, :, k] for k in range(3)]
            else:
                stack.append(grey(use))
        relief = self._relief(level, grey)
        if relief is not None:
            layout["relief"] = len(stack)
            stack.append(relief)
        return prepared(np.stack(stack, axis=2), tuple(colours), broken=gaussian), layout

    def _relief(self, level, grey) -> np.ndarray | None:  # type: ignore[no-untyped-def]
        """(h, w): of the height map 0..1 about its middle, of the normal map in widths of the tile; of both, in terms
        of the height map.
        """
        tall, normal = self.use("height"), self.use("normal")
        high = grey(tall) if tall is not None else None
        if normal is None or (
            high is not None and (self.relief_from == "height" or (self.relief_from == "both" and not self.range_share))
        ):
            return high
        steep = integrated(level(normal)[:, :, :3], self.green)
        if high is None or self.relief_from == "normal":
            return steep
        # Wide forms from the height, where integration would wander; fine ones from the normals, where 8 bits of height
        # are steps.
        fine = steep / np.float32(self.range_share)
        h, w = fine.shape
        ky, kx = np.fft.fftfreq(h)[:, None] * h, np.fft.rfftfreq(w)[None, :] * w
        keep = np.exp(-((kx**2 + ky**2) / (2 * (w / 24.0) ** 2)))
        mean = float(high.mean())
        return np.asarray(
            np.fft.irfft2(np.fft.rfft2(high - mean) * keep + np.fft.rfft2(fine) * (1 - keep), (h, w)) + mean, np.float32
        )

    def _from_normals(self) -> bool:
        return self.use("normal") is not None and (self.use("height") is None or (self.relief_from == "normal"))

    def _skin(self, planes: np.ndarray, layout: dict[str, int], tile_mm: float) -> Skin:
        sheet: dict[str, np.ndarray] = {
            "base_color": one((0.5, 0.5, 0.5)),
            "metalness": one(0.0),
            "roughness": one(0.6),
        }
        relief = np.zeros(planes.shape[1], np.float32)
        occlusion = None
        for role, k in layout.items():
            values = planes[k]
            if role == "relief":
                if self._from_normals():
                    relief += values * tile_mm
                else:
                    relief += (values - self.middle) * self.range_for(tile_mm)
            elif role == "bump":
                relief += (values - np.float32(0.5)) * np.float32(self.bump_mm)
            elif role == "occlusion":
                occlusion = np.clip(1 - values, 0, 1).astype(np.float32)
            elif role == "gloss":
                sheet["roughness"] = np.clip(roughness_from_gloss(values), 0.02, 1.0).astype(np.float32)
            elif role == "reflectance":
                f0 = np.linspace(0, 1, 257)
                table = np.array([index_from_reflectance(reflectance_from_level(x)) for x in f0], np.float32)
                sheet["specular_ior"] = np.interp(np.clip(values, 0, 1), f0, table).astype(np.float32)
            else:
                channel = CHANNELS[ROLES[role].channel]
                if channel.width == 3:
                    values = np.ascontiguousarray(planes[k : k + 3].T)
                span = channel.high - channel.low if channel.high > 1.0 and channel.name != "specular_ior" else 1.0
                low = 0.02 if channel.name == "roughness" else channel.low
                sheet[channel.name] = np.clip(values * span, low, channel.high).astype(np.float32)
                if role == "emission":
                    sheet["emission_luminance"] = one(100.0)
        return Skin(sheet, relief, occlusion=occlusion)
