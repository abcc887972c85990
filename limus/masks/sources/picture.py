"""Source: an image."""

from __future__ import annotations

from typing import Any, ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from limus.common.colour import luminance, to_linear
from limus.common.errors import InputError
from limus.common.fields import FileName, choice, number, switch
from limus.common.refusal import refusal
from limus.formats.picture_read import ReadPicture, read_picture
from limus.masks.direction import Directed, Towards, towards_field
from limus.masks.hand.stroke import Triple
from limus.masks.pattern import seed_field, size_field
from limus.masks.source import Scope, Source
from limus.patterns.patch_fields import (
    blend_field,
    patch_field,
    patches_of,
    scale_high_field,
    scale_low_field,
    scaled_field,
    smallest_first,
    turn_step_field,
    turned_field,
)
from limus.patterns.picture import on_sides, reduced, repeated
from limus.surface.frame import Frame, frame_of, front_of
from limus.surface.throwing import ThrowBox, landed, read_at, throw_box

#: Ways that a picture is thrown in.
_THROWN = {"any": [{"way": "projected"}, {"way": "frame"}]}


class PictureSource(Directed, Source):
    """A picture: wrapped round the object from three sides, thrown on it from one, or by its UVs."""

    kind: Literal["picture"] = "picture"
    order: ClassVar[int] = 38
    title: ClassVar[str] = "Picture"
    group: ClassVar[str] = "Patterns"
    joint: ClassVar[str] = "broken up by"
    sentence: ClassVar[str] = "by the picture {file}"

    file: FileName = Field(
        "",
        max_length=500,
        title="Picture",
        description="Relative to the scene document",
        json_schema_extra={"control": "picture"},
    )
    channel: Literal["brightness", "R", "G", "B", "A"] = choice(
        "brightness", "Channel", "What is read from it", brightness="brightness", R="red", G="green", B="blue",
        A="alpha",
    )  # fmt: skip
    holds: Literal["data", "colour"] = choice(
        "data", "Holds", "Plain numbers, or sRGB colour that is turned into linear light first", data="numbers",
        colour="colour",
    )  # fmt: skip
    way: Literal["triplanar", "projected", "uv", "frame"] = choice(
        "triplanar", "Laid on",
        "From three sides without seams, thrown from one side, by the UVs, or thrown through a frame that is taken "
        "hold of in the view",
        triplanar="from three sides", projected="from one side", uv="by the UVs", frame="through a frame",
    )  # fmt: skip
    size_mm: float = size_field(300.0, "Width", "Real width of the picture", soft=(10.0, 2000.0), grows=1)
    stretch: float = number(
        1.0, "Stretched", "", 0.05, 20.0, (0.25, 4.0), "Height of the picture against what it is", log=True
    )
    repeat: float = number(
        1.0, "Repeats", "", 0.01, 100.0, (0.25, 16.0), "How often over the UVs", log=True, when={"way": "uv"}
    )
    broken: bool = switch(
        True, "Break repetition", "Patches of it are turned, scaled and moved, each its own way",
        unless={"way": "frame"},
    )  # fmt: skip
    turned: bool = turned_field()
    turn_step_deg: float = turn_step_field()
    scaled: bool = scaled_field()
    scale_low: float = scale_low_field()
    scale_high: float = scale_high_field()
    patch: float = patch_field()
    blend: float = blend_field()
    towards: Towards = towards_field("south", "The side it is thrown from")
    across_mm: float = number(
        0.0, "Across", "mm", -100000.0, 100000.0, (-500.0, 500.0), "Moved sideways", when={"way": "projected"}, grows=1
    )
    along_mm: float = number(
        0.0, "Up", "mm", -100000.0, 100000.0, (-500.0, 500.0), "Moved upwards", when={"way": "projected"}, grows=1
    )
    turn_deg: float = number(0.0, "Turned", "°", -360.0, 360.0, (-180.0, 180.0), "Clockwise, as seen", when=_THROWN)
    facing_deg: float = number(75.0, "Up to", "°", 1.0, 180.0, about="Only what faces the side this much", when=_THROWN)
    depth_mm: float = number(
        200.0, "Depth of the frame", "mm", 0.1, 100000.0, (5.0, 1000.0),
        "How far before and behind its middle it reaches", log=True, grows=1, when={"way": "frame"},
    )  # fmt: skip
    at: Triple | None = Field(
        None, title="Place", description="Middle of the frame, metres in the axes of the file; empty: the front",
        json_schema_extra={"control": "place"},
    )  # fmt: skip
    facing: Triple = Field(
        (0.0, 0.0, 1.0), title="Direction", description="Out of the surface, in the axes of the file",
        json_schema_extra={"control": "place"},
    )  # fmt: skip
    scale: float = Field(
        1.0, gt=0.0, le=1e6, title="Scale", description="Metres for one unit of the file when it was placed",
        json_schema_extra={"control": "place"},
    )  # fmt: skip
    tiled: bool = switch(False, "Repeat it", "Otherwise it is black beyond its border", when={"way": "projected"})
    seed: int = seed_field()

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files it reads."""
        return (self.file,) if self.file else ()

    def _read(self, scope: Scope) -> ReadPicture:
        if scope.files is None:
            raise InputError("pictures cannot be found here", where="source.file", remedy="Use a scene document")
        return read_picture(scope.files(self.file), self.file.rsplit("/", 1)[-1])

    def plane(self, scope: Scope) -> np.ndarray:
        """(h, w) float32 0..1: the channel that is asked for."""
        values = self._read(scope).values
        count = values.shape[2]
        if self.channel == "A":
            return values[:, :, count - 1] if count in (2, 4) else np.ones(values.shape[:2], np.float32)
        colour = values[:, :, :3] if count >= 3 else values[:, :, :1]
        if self.holds == "colour":
            colour = to_linear(colour)
        if self.channel != "brightness":
            return colour[:, :, min("RGB".index(self.channel), colour.shape[2] - 1)]
        if colour.shape[2] == 1:
            return colour[:, :, 0]
        # Luminance, ITU-R BT.709.
        return luminance(colour)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; black where no picture was chosen yet."""
        texels = scope.place.texels
        if not self.file:
            return np.zeros(len(texels), np.float32)
        image, seed = self.plane(scope), self.salt_of(scope)
        how: Any = {"patches": patches_of(self), "seed": seed}
        if self.way == "uv":
            _, u, v = texels.page_xy
            image = reduced(image, image.shape[1] * self.repeat / texels.size)
            v = v * self.repeat / self.stretch
            return repeated(image, u * self.repeat, v, broken=self.broken and self.repeat > 1, **how)
        tall = image.shape[0] / image.shape[1] * self.stretch
        image = reduced(image, image.shape[1] * texels.texel_mm / self.size_mm)
        scale = np.float32(1000.0 / self.size_mm)
        if self.way == "frame":
            return self._through_a_frame(scope, image, tall)
        if self.way == "triplanar":
            return on_sides(
                image, texels.position * scale, texels.normal, stretch=self.stretch, broken=self.broken, **how
            )
        towards = self.direction(scope).astype(np.float64)
        up = np.array([0.0, 1.0, 0.0]) if abs(towards[1]) < 0.99 else np.array([0.0, 0.0, -1.0])
        right = np.cross(up, towards)
        right /= np.linalg.norm(right)
        up = np.cross(towards, right)
        middle = texels.mesh.bounds.mean(axis=0)
        at = texels.position.astype(np.float64) - middle
        x = at @ right * 1000 - self.across_mm
        y = at @ up * 1000 - self.along_mm
        c, s = np.cos(np.radians(self.turn_deg)), np.sin(np.radians(self.turn_deg))
        u = (c * x - s * y) / self.size_mm + 0.5
        v = 0.5 - (s * x + c * y) / (self.size_mm * tall)
        out = repeated(image, u, v, broken=self.broken and self.tiled, **how)
        if not self.tiled:
            out[(u < 0) | (u > 1) | (v < 0) | (v > 1)] = 0
        out[texels.normal @ towards.astype(np.float32) < np.cos(np.radians(self.facing_deg))] = 0
        return out

    def _box(self, scope: Scope) -> ThrowBox:
        mesh = scope.place.texels.mesh
        if self.at is None:
            middle, facing = front_of(scope.place.texels)
        else:
            middle = np.array(self.at) @ mesh.turn.T * (mesh.scale / self.scale)
            facing = np.array(self.facing) @ mesh.turn.T
        return throw_box(middle, facing, self.turn_deg, self.depth_mm / 1000.0)

    def _through_a_frame(self, scope: Scope, image: np.ndarray, tall: float) -> np.ndarray:
        texels = scope.place.texels
        out = np.zeros(len(texels), np.float32)
        found = landed(texels, self._box(scope), self.size_mm, self.size_mm * tall, self.facing_deg, around=False)
        u = found.x / self.size_mm + 0.5
        v = 0.5 - found.y / (self.size_mm * tall)
        out[found.rows] = read_at(np.ascontiguousarray(image[:, :, None]), u, v)[:, 0]
        return out

    def frame(self, scope: Scope) -> Frame | None:
        """The rectangle in space that can be taken hold of."""
        if self.way != "frame" or not self.file:
            return None
        plane = self._read(scope).pixels
        box = self._box(scope)
        tall_mm = self.size_mm * self.stretch * plane.shape[0] / plane.shape[1]
        return frame_of(box, self.size_mm, tall_mm, width_field="size_mm", name="picture")

    @model_validator(mode="after")
    def _well_formed(self) -> Self:
        smallest_first(self)
        if sum(x * x for x in self.facing) < 1e-12:
            raise refusal("facing", "the direction is nothing", "Give the way out of the surface")
        return self

    def salt_of(self, scope: Scope) -> int:
        """The seed of the scene and of this source together."""
        return scope.seed * 7919 + self.seed

    def finding(self, scope: Scope) -> str:
        """No picture yet, or one whose pixels are much coarser than the texels."""
        if not self.file:
            return "No picture is chosen yet: it is black"
        found = self._read(scope)
        if self.way != "uv":
            pixel = self.size_mm / found.pixels.shape[1]
            if pixel > 3 * scope.place.texels.texel_mm:
                return f"One of its pixels is {pixel:.3g} mm wide, several texels: it will look soft"
        return "; ".join(found.notes).capitalize()
