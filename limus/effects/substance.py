"""Effect: made of."""

from __future__ import annotations

from dataclasses import replace
from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import Field, model_validator

from limus.bases.laid_material import ChannelName, LaidMaterial
from limus.bases.laid_skin import laid_skin
from limus.bases.materials.plain import Plain
from limus.common.fields import choice, number
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, ShownOn, film_um, raised
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.materials.channel_range import ChannelRange
from limus.materials.channels import CHANNELS
from limus.materials.substance import VEIL, Substance

#: Hiding thicknesses in a film that lets one part in ten thousand through, which ``film_um`` takes for all of it.
_WHOLE = float(np.log(1e4))


def _grey() -> LaidMaterial:
    return LaidMaterial(name="Plain values", material=Plain(color=(0.55, 0.53, 0.50), uneven=1.0))


class SubstanceLayer(Effect):
    """A substance laid on in the course of time: anything of the store room, a map set, or nothing but values of
    channels, each along its recipe from black to white.

    What covers part of a texel is as thick as a film that hides that part, so it is full thickness only where it is
    whole; thinner than it takes to hide (``hide_um`` of its flags) it lets what lies below show through.
    """

    kind: Literal["substance"] = "substance"
    order: ClassVar[int] = 2
    family: ClassVar[Kind] = "deposit"
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint",))
    title: ClassVar[str] = "Made of"
    group: ClassVar[Group] = "Finish"
    brings: ClassVar[tuple[str, ...]] = ("coating",)
    summary: ClassVar[str] = "Any substance of the store room laid on by a mask, or values of your own in any channel"
    when: ClassVar[str] = (
        "For what no other effect is: gilding, wax, cloth glued on, leaf litter, an oxide, oil. It wears like paint"
    )
    louder: ClassVar[str] = "raise its thickness, widen its place, or give a channel another value"

    substance: LaidMaterial | None = Field(
        default_factory=_grey,
        title="Made of",
        description="What is laid on; nothing: only the values below change",
        json_schema_extra={"control": "substance"},
    )
    thickness_um: float = number(
        200.0, "Thickness", "µm", 0.01, 100000.0, (1.0, 3000.0), "Where its place is white", log=True, grows=0,
        unless={"substance": None},
    )  # fmt: skip
    covers: Literal["place", "all"] = choice(
        "place", "It lies", "In its place, or everywhere: its place then only drives the values below",
        place="in its place", all="everywhere",
    )  # fmt: skip
    values: dict[ChannelName, ChannelRange] = Field(
        default_factory=dict,
        title="Values",
        description="A value of your own for a channel, or two: where its place is black and where it is white",
        json_schema_extra={"control": "ranges"},
    )
    raised_mm: float = number(
        0.0, "Raised where white", "mm", -1000.0, 1000.0, (-5.0, 5.0), "Below 0 it is pressed in", grows=0.5
    )
    raised_black_mm: float = number(
        0.0, "Raised where black", "mm", -1000.0, 1000.0, (-5.0, 5.0), "Between the two it follows its place", grows=0.5
    )
    levels: float = number(0.0, "Levels what is below", "%", 0.0, 1.0, about="How far it evens out the relief under it")
    levels_mm: float = number(
        8.0, "Levels over", "mm", 0.1, 1000.0, (1.0, 60.0), "Width of what it evens out", log=True, grows=0.5,
        unless={"levels": 0.0},
    )  # fmt: skip

    @model_validator(mode="after")
    def _within(self) -> Self:
        for name, given in self.values.items():
            given.check(CHANNELS[name], f"values.{name}")
        return self

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Wide patches with a broken edge."""
        return Recipe(
            terms=[
                term(Noise(size_mm=size.mm(260.0, 1.0), octaves=6, gain=0.6, seed=211), low=0.48, high=0.56),
            ]
        )

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files it reads."""
        return self.substance.files if self.substance is not None else ()

    def portable(self) -> tuple[Effect, str]:
        """Without its map set."""
        if self.substance is None or not self.substance.files:
            return self, ""
        return (
            self.model_copy(update={"substance": _grey()}),
            "its texture files belong to its project; choose a substance where it is used",
        )

    def apply(self, event: Event) -> Outcome:
        """Lay it on."""
        pile, strength = event.pile, np.float32(event.strength)
        share = event.mask * strength if self.covers == "place" else np.full(len(event.mask), strength, np.float32)
        sheet: dict[str, np.ndarray] = {}
        relief: np.ndarray | None = None
        substance = VEIL
        if self.substance is not None:
            skin = laid_skin(
                self.substance, pile.texels, event.seed(231) & 0xFFFFFF, event.scope.keep, event.scope.files
            )
            sheet, relief = dict(skin.sheet), skin.relief
            opacity = sheet.pop("opacity", None)
            if opacity is not None:
                # What is cut out of a leaf or a net shows what lies below it, and is no hole in the object.
                share = share * opacity
            substance = self._substance()
        for name, given in self.values.items():
            sheet[name] = given.over(event.mask)
        if not sheet and not self.raised_mm and not self.raised_black_mm:
            return Outcome(pile, np.zeros_like(share), "It is made of nothing: choose a substance, or give a value")
        if sheet:
            film = film_um(share, substance.hide_um)
            if self.substance is not None:
                film = np.minimum(film, self.thickness_um)
            pile = pile.with_coat(event.coat(event.name, substance, film, sheet))
        lift = self._lift(event, share, relief)
        if lift is not None:
            pile = raised(pile, lift)
        return Outcome(pile, share.astype(np.float32))

    def _substance(self) -> Substance:
        """Whole where it is as thick as it is to be, unless its flags say what it takes to hide."""
        assert self.substance is not None
        hide = self.substance.flags.hide_um
        return replace(
            self.substance.substance, hide_um=self.thickness_um / _WHOLE if hide is None else hide, laid=True
        )

    def _lift(self, event: Event, share: np.ndarray, relief: np.ndarray | None) -> np.ndarray | None:
        """(n,) mm: its own relief, what it evens out below, and what its place raises."""
        parts: list[np.ndarray] = []
        if relief is not None and np.ptp(relief) > 0:
            parts.append(relief * share)
        if self.levels > 0:
            parts.append(share * self.levels * event.to_level(self.levels_mm))
        if self.raised_mm or self.raised_black_mm:
            along = self.raised_black_mm + (self.raised_mm - self.raised_black_mm) * event.mask
            parts.append(along * np.float32(event.strength))
        return np.asarray(np.sum(parts, axis=0, dtype=np.float32)) if parts else None
