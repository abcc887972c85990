"""Effect: variation of tone and relief."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.blending import MODES
from limus.common.deciding import decided
from limus.common.fields import choice, number
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, ShownOn, raised
from limus.materials.channels import Sheet
from limus.patterns.pieces import by_number
from limus.strata.composite import Use


class Variation(Effect):
    """The almost invisible unevenness without which a surface looks made by a machine: of tone, of gloss, of relief,
    and from piece to piece.
    """

    kind: Literal["variation"] = "variation"
    order: ClassVar[int] = 7
    family: ClassVar[Kind] = "change"
    shown_on: ClassVar[ShownOn] = ("rolled steel", ())
    title: ClassVar[str] = "Variation"
    group: ClassVar[Group] = "Finish"
    summary: ClassVar[str] = "Low, wide unevenness of tone, gloss and relief, and a tone for each piece"
    when: ClassVar[str] = (
        "Early and weak on anything that looks too even; stronger from piece to piece on bricks, slates, boards and "
        "assemblies"
    )

    tone: float = number(0.25, "Tone", "%", 0.0, 1.0, about="Lighter here, darker there")
    gloss: float = number(0.3, "Gloss", "%", 0.0, 1.0, about="Rougher here, smoother there")
    size_mm: float = number(
        180.0, "Size", "mm", 0.5, 100000.0, (10.0, 1000.0), "Of the widest patches", log=True, grows=0.9
    )
    relief_um: float = number(
        60.0, "Relief", "µm", 0.0, 20000.0, (0.0, 500.0), "Waviness, as of metal beaten or plaster floated by hand"
    )
    wave_mm: float = number(
        90.0, "Waves", "mm", 0.5, 10000.0, (5.0, 500.0), "Distance between them", log=True, grows=0.8
    )
    each: Literal["part", "island", "piece", "none"] = choice(
        "part", "Each has a tone", "What counts as one piece", part="part", island="UV island",
        piece="brick, slate or board", none="nothing",
    )  # fmt: skip
    piece_tone: float = number(
        0.3, "Tone per piece", "%", 0.0, 1.0, about="How far pieces differ", unless={"each": "none"}
    )

    def apply(self, event: Event) -> Outcome:
        """Lay a veil of tone over what shows, and bend the surface."""
        pile, place = event.pile, event.mask * event.strength
        wide = event.noise(self.size_mm, octaves=4, gain=0.55, salt=151)
        gloss = event.noise(self.size_mm * 0.6, octaves=5, gain=0.6, salt=152)
        tone = 0.5 + 0.075 * self.tone * wide
        if self.each != "none" and self.piece_tone > 0:
            tone = tone + (self._of_pieces(event) - 0.5) * (0.4 * self.piece_tone)
        grey = np.clip(tone, 0.05, 0.95).astype(np.float32)
        rough = np.clip(0.5 + 0.10 * self.gloss * gloss, 0.05, 0.95)
        sheet: Sheet = {"base_color": np.repeat(grey[:, None], 3, axis=1), "roughness": rough}
        # Overlay: grey of a half changes nothing, so the tone of what is below is kept.
        uses = dict(event.uses)
        for voice in sheet:
            use = uses.get(voice, Use())
            uses[voice] = Use(use.weight, use.mode or MODES["overlay"])
        out = pile.with_coat(event.veil(place, sheet, uses=uses))
        if self.relief_um > 0:
            wave = event.noise(self.wave_mm, octaves=3, gain=0.4, salt=153)
            out = raised(out, wave * place * (self.relief_um * 0.0005))
        return Outcome(out, place)

    def _of_pieces(self, event: Event) -> np.ndarray:
        texels = event.texels
        if self.each == "piece":
            piece = event.marks.piece
            return piece if piece is not None else np.full(len(texels), 0.5, np.float32)
        # Numbered by the mesh: finer texels may show an island that those which decide have none of.
        owner, count = (
            (texels.part, len(texels.mesh.parts))
            if self.each == "part"
            else (texels.island, int(texels.adjacency.island.max(initial=0)) + 1)
        )
        if len(decided("owners", lambda: np.unique(owner))) < 2:
            return np.full(len(texels), 0.5, np.float32)
        return by_number(owner, list(range(count)), texels.position, event.seed(154) & 0xFFFFFF).value()
