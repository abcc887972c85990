"""Effect: decal."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from limus.bases.ground import Ground
from limus.bases.materials.map_set import MapSet
from limus.bases.placing import Placing
from limus.common.colour import to_linear
from limus.common.deciding import anywhere
from limus.common.errors import InputError
from limus.common.fields import FileName, choice, colour, number, switch
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, ShownOn, film_um, raised
from limus.formats.picture_read import read_picture
from limus.materials.channels import CHANNELS, one
from limus.materials.substance import DECAL
from limus.patterns.lettering import FONTS, lettering, unknown_signs
from limus.patterns.picture import reduced
from limus.surface.blur import blur
from limus.surface.frame import Frame, frame_of, front_of
from limus.surface.throwing import Landed, landed, read_at, throw_box

Metres = Annotated[float, Field(ge=-1e6, le=1e6)]
Place3 = tuple[Metres, Metres, Metres]
#: (m,) alpha, channels, and (m,) relief in mm or None, of m places.
Read = tuple[np.ndarray, dict[str, np.ndarray], np.ndarray | None]
#: Of (m,) rows and (m,) places across and down, 0..1.
Reader = Callable[[np.ndarray, np.ndarray, np.ndarray], Read]


@dataclass(frozen=True)
class _Thrown:
    """What of it lands on the surface.

    Attributes
    ----------
    alpha : (n,) float32 0..1, None where there is nothing to throw. sheet : its channels, (n, ...). relief : (n,)
        float32 mm, or None. note : of its picture. said : a finding. tall_mm : its height, 0 without a picture.
    deep_mm : by how much the surface lies before the middle of its box.
    """

    alpha: np.ndarray | None = None
    sheet: dict[str, np.ndarray] = field(default_factory=dict)
    relief: np.ndarray | None = None
    note: str = ""
    said: str = ""
    tall_mm: float = 0.0
    deep_mm: float = 0.0


class Decal(Effect):
    """A picture or letters thrown on the surface through a box: a sign, a label, or letters sprayed with a cut-out
    sheet.

    What comes later ages it like everything else. Its place is kept in metres in the axes of the object's file, so it
    stays where it is when the object is stood up another way.
    """

    kind: Literal["decal"] = "decal"
    order: ClassVar[int] = 8
    family: ClassVar[Kind] = "deposit"
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    title: ClassVar[str] = "Decal"
    group: ClassVar[Group] = "Marks and stains"
    summary: ClassVar[str] = "A picture, a sign or stencilled letters, put on the surface by hand"
    when: ClassVar[str] = (
        "For numbers, warnings, plates and labels. Put it before what wore it, and drag it on the view"
    )
    takes_pictures: ClassVar[bool] = True

    what: Literal["text", "picture", "maps"] = choice(
        "text",
        "What",
        "Letters in a font that comes with the program, a picture of your own, or several maps of one sign: its "
        "colour, opacity, gloss, metalness, relief, light",
        text="letters",
        picture="picture",
        maps="several maps",
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
    maps: MapSet | None = Field(
        None, title="Maps", description="Texture files in their roles, all of one sign",
        json_schema_extra={"control": "maps", "when": {"what": "maps"}},
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
        80.0, "Depth of the box", "mm", 0.0, 100000.0, (1.0, 500.0), "How far before and behind its middle it reaches",
        log=False, grows=1.0,
    )  # fmt: skip
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
        "keeps", "Relief below", "A thin film follows the relief, a plate or thick foil lies level over it",
        keeps="shows through", levels="is levelled",
    )  # fmt: skip

    @field_validator("facing")
    @classmethod
    def _points_somewhere(cls, value: Place3) -> Place3:
        if sum(x * x for x in value) < 1e-12:
            raise ValueError("the direction of a decal must not be nothing")
        return value

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files it reads."""
        if self.what == "maps":
            return self.maps.files if self.maps is not None else ()
        return (self.file,) if self.what == "picture" and self.file else ()

    def portable(self) -> tuple[Effect, str]:
        """Without its pictures, and on the front again."""
        said = "its picture belongs to its object; choose one again where it is used" if self.files else ""
        return self.model_copy(update={"at": None, "file": "", "maps": None}), said

    def apply(self, event: Event) -> Outcome:
        """Throw it on."""
        thrown: _Thrown = event.step(self._thrown)
        frame = self._frame(event, thrown.tall_mm, thrown.deep_mm) if thrown.tall_mm > 0 else None
        if thrown.alpha is None:
            return event.nothing(thrown.said, frame)
        share = thrown.alpha * event.mask * event.strength
        if not anywhere(share > 0.004):
            return event.nothing(thrown.said or "Its mask is black where it lies", frame)
        tint = np.array(self.color, np.float32)
        # Letters, and maps that bring no colour, have its own.
        own = self.what == "text" or "base_color" not in thrown.sheet
        shown = np.broadcast_to(tint, (len(share), 3)) if own else thrown.sheet["base_color"]
        if not own and self.tint > 0:
            shown = shown * (1 - self.tint) + tint * self.tint
        if self.stencil:
            patch = event.noise(self.width_mm * 0.08, octaves=4, salt=191)
            shown = np.clip(shown * (1.0 + 0.06 * patch)[:, None], 0.0, 1.0)
        thickness = np.maximum(
            film_um(share, DECAL.hide_um), np.where(share > 0.98, np.float32(self.thickness_um), np.float32(0.0))
        )
        coat = event.coat(
            event.name,
            DECAL,
            thickness,
            {
                "roughness": one(self.roughness),
                **thrown.sheet,
                "base_color": np.ascontiguousarray(shown, np.float32),
            },
        )
        pile = event.pile.with_coat(coat)
        if thrown.relief is not None:
            pile = raised(pile, share * thrown.relief)
        if self.relief == "levels":
            # Brought to the level of its surroundings, by the share that lies there.
            pile = raised(pile, share * event.to_level(self.width_mm * 0.05))
        return Outcome(pile, share, " ".join(x for x in (thrown.note, thrown.said) if x), frame)

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
        if not self.files:
            return None, "No picture is chosen yet" if self.what == "picture" else "No maps are chosen yet"
        if event.scope.files is None:
            raise InputError("pictures cannot be found here", where="effect.file", remedy="Use a scene document")
        if self.what == "maps":
            # Only how wide and tall it is; the maps are laid where it lands.
            sizes = [read_picture(event.scope.files(f), f.rsplit("/", 1)[-1]).pixels.shape[:2] for f in self.files]
            return np.broadcast_to(np.float32(1.0), (*max(sizes, key=lambda s: s[1]), 4)), ""
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
        mesh = event.texels.mesh
        if self.at is not None:
            return np.array(self.at) @ mesh.turn.T * (mesh.scale / self.scale), np.array(self.facing) @ mesh.turn.T
        return front_of(event.texels)

    def _frame(self, event: Event, tall_mm: float, deep_mm: float) -> Frame:
        """The rectangle where it meets the surface, ``deep_mm`` before the middle of its box."""
        middle, facing = self.placed(event)
        middle = middle + facing / max(float(np.linalg.norm(facing)), 1e-12) * (deep_mm / 1000.0)
        box = throw_box(middle, facing, self.turn_deg, 0.0)
        return frame_of(box, self.width_mm, tall_mm, width_field="width_mm", name="decal")

    def _read(self, event: Event, image: np.ndarray) -> Reader:
        """What gives (m,) alpha, its channels, and (m,) relief, mm, or None, at rows and (m,) places 0..1, v down."""
        texels = event.texels
        if self.what == "maps":
            return self._from_maps(event, image.shape[0] / image.shape[1])
        planes = [
            reduced(np.ascontiguousarray(image[:, :, c]), image.shape[1] * texels.texel_mm / self.width_mm)
            for c in range(4)
        ]
        picture = np.stack(planes, axis=2)

        def read(rows: np.ndarray, u: np.ndarray, v: np.ndarray) -> Read:
            found = read_at(picture, u, v)
            tone = found[:, :3] / np.maximum(found[:, 3:4], 1e-4)
            return np.minimum(found[:, 3], 1.0), {"base_color": np.clip(tone, 0.0, 1.0)}, None

        return read

    def _from_maps(self, event: Event, tall: float) -> Reader:
        texels, files = event.texels, event.scope.files
        assert self.maps is not None and files is not None
        maps, picture = self.maps, self.maps.use("base_color")
        if picture is not None and maps.use("opacity") is None and picture.component == "all":
            read = read_picture(files(picture.file), picture.file.rsplit("/", 1)[-1])
            if read.pixels.shape[2] in (2, 4):
                # Cut out by the alpha of its colours.
                alpha = picture.model_copy(update={"component": "A", "role": "opacity", "colour": "linear"})
                maps = maps.model_copy(update={"maps": [*maps.maps, alpha]})
        placing = Placing(way="uv", size_cm=self.width_mm / 10.0, broken=False)

        def read_maps(rows: np.ndarray, u: np.ndarray, v: np.ndarray) -> Read:
            places = np.stack([u * self.width_mm, v * (self.width_mm * tall)], axis=1)
            skin = maps.lay(
                Ground(
                    texels.position[rows],
                    texels.normal[rows],
                    texels.texel_mm,
                    files=files,
                    uv_mm=places,
                    placing=placing,
                )
            )
            sheet = dict(skin.sheet)
            for name, roles in (("base_color", ("base_color",)), ("roughness", ("roughness", "gloss"))):
                if not any(maps.use(role) for role in roles):
                    del sheet[name]
            opacity = sheet.pop("opacity", np.ones(len(rows), np.float32))
            return np.broadcast_to(opacity, (len(rows),)).astype(np.float32), sheet, skin.relief

        return read_maps

    def _thrown(self, event: Event) -> _Thrown:
        image, note = self._image(event)
        if image is None:
            return _Thrown(said=note)
        tall_mm = self.width_mm * image.shape[0] / image.shape[1]
        if self.depth_mm <= 0:
            return _Thrown(said="Its box has no depth: give it some", tall_mm=tall_mm)
        texels = event.texels
        middle, facing = self.placed(event)
        read = self._read(event, image)
        alpha = np.zeros(len(texels), np.float32)
        sheet: dict[str, np.ndarray] = {}
        relief: np.ndarray | None = None
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
            u = found.x / self.width_mm + 0.5
            v = 0.5 - found.y / tall_mm
            if self.mirror:
                u = 1.0 - u
            a, channels, lift = read(found.rows, u, v)
            if self.soft > 0:
                border = np.minimum(self.width_mm / 2 - np.abs(found.x), tall_mm / 2 - np.abs(found.y))
                a = a * np.clip(border / self.soft, 0.0, 1.0)
            area = texels.area[found.rows] * 1e6
            got += float((a * area * (1.0 if self.around else found.facing)).sum(dtype=np.float64))
            stretched += float((a * area).sum(dtype=np.float64))
            over = a > alpha[found.rows]
            rows = found.rows[over]
            for name, values in channels.items():
                wide = values.shape[-1:] if CHANNELS[name].width == 3 else ()
                whole = sheet.setdefault(name, np.zeros((len(texels), *wide), np.float32))
                whole[rows] = np.broadcast_to(values, (len(over), *wide))[over]
            if lift is not None:
                relief = np.zeros(len(texels), np.float32) if relief is None else relief
                relief[rows] = lift[over]
            alpha[rows] = a[over]
        if self.stencil:
            alpha = self._through_a_sheet(event, alpha)
        if stretched <= 0:
            missed = "Its box misses the surface: drag it onto the object, or make the box deeper"
            return _Thrown(alpha, sheet, relief, note, missed, tall_mm)
        said = ""
        if got < 0.9 * wanted and self.soft <= 0:
            said = f"{1 - got / wanted:.0%} of it does not land: the surface ends, turns away or leaves the box there"
        elif not self.around and stretched > 1.3 * got:
            said = "It is stretched where the surface turns away: let it lie along the surface, or turn it"
        return _Thrown(alpha, sheet, relief, note, said, tall_mm, float(np.median(np.concatenate(deep))))

    def _through_a_sheet(self, event: Event, alpha: np.ndarray) -> np.ndarray:
        """(n,) alpha as a spray can leaves it behind a cut-out sheet."""
        texels = event.texels
        reach = max(self.width_mm * 0.006, 0.8 * texels.texel_mm)
        soft = blur(texels, alpha, reach)
        ragged = event.noise(self.width_mm * 0.025, octaves=4, gain=0.65, salt=192)
        gap = np.clip(event.noise(self.width_mm * 0.35, octaves=2, salt=193) * 0.6, 0.0, 1.0)
        body = np.clip((soft - 0.5 + 0.16 * ragged) * 3.0 + 0.5, 0.0, 1.0)
        mist = blur(texels, alpha, reach * 5.0) * gap * 0.35
        drops = event.noise(1.0, octaves=2, salt=194)
        mist = np.clip(mist + drops * 0.10 - 0.06, 0.0, 0.4) * (mist > 0.01)
        worn = np.clip(
            1.02 - 0.06 * np.abs(event.noise(self.width_mm * 0.1, octaves=4, salt=195)),
            0.0,
            1.0,
        )
        return np.maximum(body * worn, mist).astype(np.float32)
