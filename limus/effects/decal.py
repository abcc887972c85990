"""Effect: decal."""

from __future__ import annotations

from dataclasses import replace
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator
from scipy import ndimage

from limus.common.colour import to_linear
from limus.common.errors import InputError
from limus.common.fields import FileName, choice, colour, number, switch
from limus.effects.effect import Effect, Event, Frame, Group, Kind, Outcome, film_um, raised
from limus.formats.picture_read import read_picture
from limus.materials.channels import one
from limus.materials.substance import DECAL
from limus.patterns.lettering import FONTS, lettering, unknown_signs
from limus.patterns.picture import reduced
from limus.surface.blur import blur
from limus.surface.throwing import Landed, landed, read_at, throw_box

Metres = Annotated[float, Field(ge=-1e6, le=1e6)]
Place3 = tuple[Metres, Metres, Metres]


class Decal(Effect):
    """A picture or letters thrown on the surface through a box: a sign, a label, or letters sprayed with a cut-out
    sheet.

    What comes later ages it like everything else. Its place is kept in metres in the axes of the object's file, so it
    stays where it is when the object is stood up another way.
    """

    kind: Literal["decal"] = "decal"
    order: ClassVar[int] = 8
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Decal"
    group: ClassVar[Group] = "Marks and stains"
    summary: ClassVar[str] = "A picture, a sign or stencilled letters, put on the surface by hand"
    when: ClassVar[str] = (
        "For numbers, warnings, plates and labels. Put it before what wore it, and drag it on the view"
    )

    what: Literal["text", "picture"] = choice(
        "text",
        "What",
        "Letters in a font that comes with the program, or a picture of your own",
        text="letters",
        picture="picture",
    )
    text: str = Field(
        "No 3", max_length=200, title="Letters", json_schema_extra={"control": "text", "when": {"what": "text"}}
    )
    font: Literal["stencil", "narrow", "plain"] = choice(
        "stencil", "Font", "", hints={"when": {"what": "text"}}, **{k: v[0] for k, v in FONTS.items()}
    )
    file: FileName = Field(
        "", max_length=500, title="Picture",
        description="PNG, WebP or SVG with transparency; others cover their whole box",
        json_schema_extra={"control": "picture", "when": {"what": "picture"}},
    )  # fmt: skip
    color: tuple[float, float, float] = colour((0.72, 0.70, 0.64), "Colour", "Of letters; a tint for pictures")
    tint: float = number(
        0.0, "Tinted", "%", 0.0, 1.0, about="How far the picture takes on the colour", when={"what": "picture"}
    )
    stencil: bool = switch(
        False, "Cut-out sheet", "Sprayed through a stencil: ragged edges, a mist under the sheet, uneven cover"
    )
    at: Place3 | None = Field(
        None,
        title="Place",
        description="Middle of it, metres in the axes of the file; empty: the front",
        json_schema_extra={"control": "place"},
    )
    facing: Place3 = Field(
        (0.0, 0.0, 1.0),
        title="Direction",
        description="Out of the surface, in the axes of the file",
        json_schema_extra={"control": "place"},
    )
    scale: float = Field(
        1.0,
        gt=0.0,
        le=1e6,
        title="Scale",
        description="Metres for one unit of the file when it was placed",
        json_schema_extra={"control": "place"},
    )
    width_mm: float = number(160.0, "Width", "mm", 0.1, 100000.0, (10.0, 1000.0), log=True, grows=1.0)
    turn_deg: float = number(0.0, "Turned", "°", -360.0, 360.0, (-180.0, 180.0), "Clockwise as seen; 0 is upright")
    depth_mm: float = number(
        80.0,
        "Depth of the box",
        "mm",
        0.0,
        100000.0,
        (1.0, 500.0),
        "How far before and behind its middle it reaches",
        log=False,
        grows=1.0,
    )
    facing_deg: float = number(
        65.0, "Up to an angle of", "°", 1.0, 89.0, about="Surfaces that turn away further are left out"
    )
    soft: float = number(
        0.0, "Soft edge", "mm", 0.0, 1000.0, (0.0, 20.0), "Fades out towards the border of the box", grows=0.5
    )
    around: bool = switch(
        True,
        "Lies along the surface",
        "As paper does round a pipe; off: thrown straight, stretched where the surface turns away",
    )
    mirror: bool = switch(False, "Mirrored", "Left and right change places")
    count: int = Field(
        1,
        ge=1,
        le=100,
        title="Repeats",
        description="How many stand in a row",
        json_schema_extra={"control": "slider", "unit": "", "soft": [1, 12], "scale": "linear"},
    )
    gap_mm: float = number(
        40.0, "Gap", "mm", -100000.0, 100000.0, (0.0, 400.0), "Between one and the next", grows=1.0, unless={"count": 1}
    )
    roughness: float = number(0.45, "Roughness", "", 0.0, 1.0, (0.05, 0.95), "Low is glossy")
    thickness_um: float = number(35.0, "Thickness", "µm", 0.0, 2000.0, (5.0, 200.0))
    relief: Literal["keeps", "levels"] = choice(
        "keeps",
        "Relief below",
        "A thin film follows the relief, a plate or thick foil lies level over it",
        keeps="shows through",
        levels="is levelled",
    )

    @field_validator("facing")
    @classmethod
    def _points_somewhere(cls, value: Place3) -> Place3:
        if sum(x * x for x in value) < 1e-12:
            raise ValueError("the direction of a decal must not be nothing")
        return value

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files it reads."""
        return (self.file,) if self.what == "picture" and self.file else ()

    def portable(self) -> tuple[Effect, str]:
        """Without its picture, and on the front again."""
        effect, said = super().portable()
        return effect.model_copy(update={"at": None}), said

    def apply(self, event: Event) -> Outcome:
        """Throw it on."""
        nothing = np.zeros(len(event.mask), np.float32)
        image, note = self._image(event)
        if image is None:
            return Outcome(event.pile, nothing, note)
        tall_mm = self.width_mm * image.shape[0] / image.shape[1]
        if self.depth_mm <= 0:
            return Outcome(event.pile, nothing, "Its box has no depth: give it some", self._frame(event, tall_mm, 0.0))
        shape: list[object] = [self.model_dump(exclude={"color", "tint", "roughness", "thickness_um", "relief"})]
        alpha, color, said, deep = event.scope.keep.get(
            event.key("thrown", shape), lambda: self._thrown(event, image, tall_mm)
        )
        frame = self._frame(event, tall_mm, deep)
        share = alpha * event.mask * np.float32(event.strength)
        if not (share > 0.004).any():
            return Outcome(event.pile, nothing, said or "Its mask is black where it lies", frame)
        tint = np.array(self.color, np.float32)
        shown = color if self.what == "picture" else np.broadcast_to(tint, color.shape)
        if self.what == "picture" and self.tint > 0:
            shown = shown * (1 - np.float32(self.tint)) + tint * np.float32(self.tint)
        if self.stencil:
            patch = event.noise(self.width_mm * 0.08, octaves=4, salt=191)
            shown = np.clip(shown * (np.float32(1.0) + np.float32(0.06) * patch)[:, None], 0.0, 1.0)
        thickness = np.maximum(
            film_um(share, DECAL.hide_um), np.where(share > 0.98, np.float32(self.thickness_um), np.float32(0.0))
        )
        coat = event.coat(
            event.name,
            DECAL,
            thickness,
            {"base_color": np.ascontiguousarray(shown, np.float32), "roughness": one(self.roughness)},
        )
        pile = event.pile.with_coat(coat)
        if self.relief == "levels":
            # Brought to the level of its surroundings, by the share that lies there.
            pile = raised(pile, share * event.to_level(self.width_mm * 0.05))
        return Outcome(pile, share, " ".join(x for x in (note, said) if x), frame)

    def _image(self, event: Event) -> tuple[np.ndarray | None, str]:
        """(h, w, 4) float32: linear colour times alpha, and alpha; or why there is none. A note besides."""
        if self.what == "text":
            plane = lettering(self.text, self.font)
            lacking = unknown_signs(self.text, self.font)
            said = (
                f"The font has no sign for {' '.join(lacking[:8])}: use another font, or a picture" if lacking else ""
            )
            if plane.max(initial=0.0) <= 0:
                return None, said or "There are no letters: type some"
            return np.repeat(plane[:, :, None], 4, axis=2), said
        if not self.file:
            return None, "No picture is chosen yet"
        if event.scope.files is None:
            raise InputError("pictures cannot be found here", where="effect.file", remedy="Use a scene document")
        values = read_picture(event.scope.files(self.file), self.file.rsplit("/", 1)[-1]).values
        count = values.shape[2]
        alpha = values[:, :, count - 1] if count in (2, 4) else np.ones(values.shape[:2], np.float32)
        tone = to_linear(values[:, :, :3] if count >= 3 else np.repeat(values[:, :, :1], 3, axis=2))
        out = np.concatenate([tone * alpha[:, :, None], alpha[:, :, None]], axis=2).astype(np.float32)
        if alpha.max(initial=0.0) <= 0:
            return None, "The picture is transparent everywhere"
        return out, ""

    def placed(self, event: Event) -> tuple[np.ndarray, np.ndarray]:
        """(3,) m middle and (3,) direction out of the surface, in the axes that are worked in."""
        mesh = event.pile.texels.mesh
        if self.at is not None:
            return np.array(self.at) @ mesh.turn.T * (mesh.scale / self.scale), np.array(self.facing) @ mesh.turn.T
        return front_of(event)

    def _frame(self, event: Event, tall_mm: float, deep_mm: float) -> Frame:
        """The rectangle where it meets the surface, ``deep_mm`` before the middle of its box."""
        middle, facing = self.placed(event)
        middle = middle + facing / max(float(np.linalg.norm(facing)), 1e-12) * (deep_mm / 1000.0)
        box = throw_box(middle, facing, self.turn_deg, 0.0)

        def three(v: np.ndarray) -> tuple[float, float, float]:
            return float(v[0]), float(v[1]), float(v[2])

        return Frame(three(box.middle), three(box.right), three(box.up), three(box.back), self.width_mm, tall_mm)

    def _thrown(self, event: Event, image: np.ndarray, tall_mm: float) -> tuple[np.ndarray, np.ndarray, str, float]:
        """(n,) alpha, (n, 3) linear colour, a finding, and by how many mm the surface lies before the middle of the
        box.
        """
        texels = event.pile.texels
        middle, facing = self.placed(event)
        planes = [
            reduced(np.ascontiguousarray(image[:, :, c]), image.shape[1] * texels.texel_mm / self.width_mm)
            for c in range(4)
        ]
        picture = np.stack(planes, axis=2)
        alpha, color = np.zeros(len(texels), np.float32), np.zeros((len(texels), 3), np.float32)
        box = throw_box(middle, facing, self.turn_deg, self.depth_mm / 1000.0)
        step = self.width_mm + self.gap_mm
        got, stretched, wanted = 0.0, 0.0, 0.0
        deep: list[np.ndarray] = []
        full = float(image[:, :, 3].mean()) * self.width_mm * tall_mm
        for k in range(self.count):
            off = (k - (self.count - 1) / 2) * step
            here = replace(box, middle=box.middle + box.right * off / 1000.0)
            found: Landed = landed(texels, here, self.width_mm, tall_mm, self.facing_deg, around=self.around)
            wanted += full
            if not len(found.rows):
                continue
            deep.append((texels.position[found.rows] - here.middle) @ here.back * 1000.0)
            u = found.x / np.float32(self.width_mm) + np.float32(0.5)
            v = np.float32(0.5) - found.y / np.float32(tall_mm)
            if self.mirror:
                u = np.float32(1.0) - u
            read = read_at(picture, u, v)
            a = np.minimum(read[:, 3], np.float32(1.0))
            if self.soft > 0:
                border = np.minimum(
                    np.float32(self.width_mm / 2) - np.abs(found.x), np.float32(tall_mm / 2) - np.abs(found.y)
                )
                a = a * np.clip(border / np.float32(self.soft), 0.0, 1.0)
            area = texels.area[found.rows] * np.float32(1e6)
            got += float((a * area * (1.0 if self.around else found.facing)).sum(dtype=np.float64))
            stretched += float((a * area).sum(dtype=np.float64))
            tone = read[:, :3] / np.maximum(read[:, 3:4], np.float32(1e-4))
            color[found.rows] = np.where((a > alpha[found.rows])[:, None], tone, color[found.rows])
            alpha[found.rows] = np.maximum(alpha[found.rows], a)
        if self.stencil:
            alpha = self._through_a_sheet(event, alpha)
        if stretched <= 0:
            return alpha, color, "Its box misses the surface: drag it onto the object, or make the box deeper", 0.0
        said = ""
        if got < 0.9 * wanted and self.soft <= 0:
            said = f"{1 - got / wanted:.0%} of it does not land: the surface ends, turns away or leaves the box there"
        elif not self.around and stretched > 1.3 * got:
            said = "It is stretched where the surface turns away: let it lie along the surface, or turn it"
        return alpha, np.clip(color, 0.0, 1.0), said, float(np.median(np.concatenate(deep)))

    def _through_a_sheet(self, event: Event, alpha: np.ndarray) -> np.ndarray:
        """(n,) alpha as a spray can leaves it behind a cut-out sheet."""
        texels = event.pile.texels
        reach = max(self.width_mm * 0.006, 0.8 * texels.texel_mm)
        soft = blur(texels, alpha, reach)
        ragged = event.noise(self.width_mm * 0.025, octaves=4, gain=0.65, salt=192)
        gap = np.clip(event.noise(self.width_mm * 0.35, octaves=2, salt=193) * np.float32(0.6), 0.0, 1.0)
        body = np.clip(
            (soft - np.float32(0.5) + np.float32(0.16) * ragged) * np.float32(3.0) + np.float32(0.5), 0.0, 1.0
        )
        mist = blur(texels, alpha, reach * 5.0) * gap * np.float32(0.35)
        drops = event.noise(1.0, octaves=2, salt=194)
        mist = np.clip(mist + drops * np.float32(0.10) - np.float32(0.06), 0.0, 0.4) * (mist > 0.01)
        worn = np.clip(
            np.float32(1.02) - np.float32(0.06) * np.abs(event.noise(self.width_mm * 0.1, octaves=4, salt=195)),
            0.0,
            1.0,
        )
        return np.maximum(body * worn, mist).astype(np.float32)


#: Cells along each side of the front, where a first place for a decal is looked for.
_CELLS = 24


def front_of(event: Event) -> tuple[np.ndarray, np.ndarray]:
    """(3,) m and (3,) unit: a roomy place on the front (+z) of the object, near its middle, and the direction out of
    it.
    """
    texels = event.pile.texels
    low, high = texels.mesh.bounds.astype(np.float64)
    middle, size = (low + high) / 2, np.maximum(high - low, 1e-9)
    p = texels.position
    facing = np.clip((texels.normal[:, 2] - 0.75) * 4.0, 0.0, 1.0)
    at = np.clip(((p[:, :2] - low[:2]) / size[:2] * _CELLS).astype(np.int64), 0, _CELLS - 1)
    cell = at[:, 1] * _CELLS + at[:, 0]
    # How much of it faces the front in each cell, its neighbours counted; what is in the middle of the object counts
    # more.
    room = np.bincount(cell, texels.area * facing, _CELLS**2).reshape(_CELLS, _CELLS)
    full = size[0] * size[1] / _CELLS**2
    room = ndimage.uniform_filter(np.minimum(room / full, 1.0), 5, mode="constant")
    y, x = np.mgrid[:_CELLS, :_CELLS]
    off = np.hypot((x + 0.5) / _CELLS - 0.5, (y + 0.5) / _CELLS - 0.5)
    best = int(np.argmax(room * np.exp(-1.2 * off)))
    wanted = low[:2] + size[:2] * (np.array([best % _CELLS, best // _CELLS]) + 0.5) / _CELLS
    away = np.hypot(p[:, 0] - wanted[0], p[:, 1] - wanted[1]) / float(np.linalg.norm(size))
    k = int(np.argmax(facing * 0.5 + (p[:, 2] - middle[2]) / float(np.linalg.norm(size)) - 6.0 * away))
    return p[k].astype(np.float64), texels.normal[k].astype(np.float64)
