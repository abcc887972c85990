"""Effect: paint, up to three coats of it."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import choice, colour, number, switch
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, raised
from limus.materials.channels import one
from limus.materials.substance import PAINT, PRIMER, UNDERCOAT
from limus.materials.tone import toned
from limus.patterns.noise import fractal
from limus.surface.blur import blur
from limus.surface.running import lower_edges

#: How the film is uneven by how it was put on: (tone, gloss) deviation, and how much of the orange peel it has.
_WAYS = {"spray": (0.5, 0.6, 1.0), "roller": (0.6, 0.8, 1.4), "brush": (0.9, 1.1, 0.0)}


class Paint(Effect):
    """Primer, undercoat and topcoat.

    Paint flows off edges and gathers in corners, so the film is thinner on convex edges and thicker in creases (common
    practice, no source). Film thickness of whole systems after ISO 12944-5: about 120 to 320 micrometres (from memory).
    """

    kind: Literal["paint"] = "paint"
    order: ClassVar[int] = 0
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Paint"
    group: ClassVar[Group] = "Paint and its losses"
    photographed: ClassVar[dict[str, str]] = {"color": "color"}
    begins: ClassVar[bool] = True
    brings: ClassVar[tuple[str, ...]] = ("coating",)
    reads: ClassVar[tuple[str, ...]] = ("rays",)
    suits: ClassVar[tuple[str, ...]] = ("ferrous", "zinc", "aluminium", "other metal", "timber", "polymer")
    pieces: ClassVar[dict[str, str]] = {"primer": "Primer", "undercoat": "Undercoat", "topcoat": "Topcoat"}
    figures: ClassVar[str] = (
        "Film thickness of whole systems: ISO 12944-5, about 120 to 320 µm (from memory); thinner on edges: "
        "common practice"
    )
    summary: ClassVar[str] = (
        "A topcoat on undercoat and primer, sprayed, rolled or brushed, with the unevenness of a real film"
    )
    when: ClassVar[str] = (
        "First of all on anything that is painted; again for a repaint, or with a place of its own for bands and fields"
    )

    color: tuple[float, float, float] = colour((0.032, 0.128, 0.094), "Topcoat colour")
    thickness_um: float = number(120.0, "Topcoat thickness", "µm", 0.0, 2000.0, (20.0, 300.0))
    roughness: float = number(0.42, "Roughness", "", 0.02, 1.0, (0.1, 0.9), "Low is glossy")
    way: Literal["spray", "roller", "brush"] = choice(
        "spray", "Put on by", "What the film looks like from near", spray="spray gun", roller="roller", brush="brush"
    )
    primer: bool = switch(True, "Primer", "A coat below the topcoat that shows at the rim of chips")
    primer_color: tuple[float, float, float] = colour((0.262, 0.085, 0.048), "Primer colour", when={"primer": True})
    primer_thickness_um: float = number(
        60.0, "Primer thickness", "µm", 0.0, 1000.0, (20.0, 150.0), when={"primer": True}
    )
    undercoat: bool = switch(False, "Undercoat", "One more coat, between primer and topcoat")
    undercoat_color: tuple[float, float, float] = colour(
        (0.36, 0.37, 0.36), "Undercoat colour", when={"undercoat": True}
    )
    undercoat_thickness_um: float = number(
        60.0, "Undercoat thickness", "µm", 0.0, 1000.0, (20.0, 150.0), when={"undercoat": True}
    )
    texture_um: float = number(
        14.0, "Texture", "µm", 0.0, 500.0, (0.0, 60.0), "Height of orange peel, roller stipple or brush marks"
    )
    texture_mm: float = number(
        5.0, "Texture size", "mm", 0.2, 200.0, (1.0, 30.0), "Distance between ripples, or width of brush marks",
        log=True, grows=0,
    )  # fmt: skip
    sags: float = number(
        0.15, "Sags and drips", "%", 0.0, 1.0,
        about="Paint that ran before it dried: curtains on steep faces, beads on lower edges",
    )  # fmt: skip
    overspray: float = number(
        0.0, "Overspray", "mm", 0.0, 1000.0, (0.0, 100.0),
        "How far a mist of paint reaches beyond the edge of its place", grows=0.5,
    )  # fmt: skip
    unevenness: float = number(
        0.10, "Unevenness", "%", 0.0, 1.0, (0.0, 0.5), "Slow change of tone and gloss over the surface"
    )
    unevenness_mm: float = number(
        160.0, "Unevenness size", "mm", 1.0, 100000.0, (20.0, 600.0), "Distance over which tone and gloss change",
        log=True, grows=1.0,
    )  # fmt: skip
    edge_mm: float = number(
        4.0, "Edge size", "mm", 0.05, 1000.0, (0.5, 30.0),
        "Edges up to this rounding carry a thinner film, creases a thicker one",
        log=True, grows=0.5,
    )  # fmt: skip
    varnish: float = number(0.0, "Varnish", "%", 0.0, 1.0, about="Weight of a clear, glossy finish over the topcoat")

    def apply(self, event: Event) -> Outcome:
        """Add the coats; thickness follows curvature."""
        pile = event.pile
        film = event.step(self._film)
        for piece, there, substance, color, thick, rough in (
            ("primer", self.primer, PRIMER, self.primer_color, self.primer_thickness_um, 0.75),
            ("undercoat", self.undercoat, UNDERCOAT, self.undercoat_color, self.undercoat_thickness_um, 0.6),
        ):
            if not there or thick <= 0:
                continue
            patchy = event.noise(25.0, octaves=4, salt=3 if piece == "primer" else 4)
            ground = {"base_color": toned(color, 1.0 + 0.10 * patchy), "roughness": one(rough)}
            pile = pile.with_coat(event.coat(f"{event.name}: {piece}", substance, film * thick, ground, piece))
        tone, gloss, peeling = _WAYS[self.way]
        uneven = self.unevenness * event.noise(self.unevenness_mm, octaves=4, salt=1)
        marks = self._marks(event, peeling)
        streak = marks * 0.035 if self.way == "brush" else 0.0
        top = {
            "base_color": toned(self.color, 1.0 + tone * uneven + streak),
            "roughness": np.clip(self.roughness + gloss * uneven + streak, 0.0, 1.0),
        }
        if self.varnish > 0:
            top["coat_weight"] = one(self.varnish)
            top["coat_roughness"] = np.clip(0.08 + 0.3 * np.abs(uneven), 0.0, 1.0)
        several = self.primer or self.undercoat
        name = f"{event.name}: topcoat" if several else event.name
        thickness = film * self.thickness_um
        if self.sags > 0:
            thickness = thickness * (1.0 + 1.4 * self.sags * event.step(self._sags))
        pile = pile.with_coat(event.coat(name, PAINT, thickness, top, "topcoat"))
        if self.texture_um > 0:
            pile = raised(pile, marks * np.minimum(film, 1.4) * (self.texture_um * 0.001 * 0.5))
        shown = event.mask * event.strength
        return Outcome(
            pile,
            np.maximum(shown, np.minimum(film, 1.0) * 0.6) if self.overspray > 0 else shown,
        )

    def _film(self, event: Event) -> np.ndarray:
        """(n,) share of the wanted thickness."""
        curve = event.scope.place.measured.curvature(self.edge_mm)
        place = event.mask
        if self.overspray > 0:
            # A mist of droplets that thins out; what is under it shows between them.
            mist = blur(event.texels, event.mask, self.overspray * 0.6)
            drops = event.noise(1.2, octaves=2, salt=8)
            droplets = np.clip(mist * 1.3 + drops * 0.22 - 0.42, 0.0, 1.0) * 0.35
            place = np.maximum(place, droplets * mist)
        return np.clip(1.0 - 0.7 * curve, 0.4, 1.4) * place * event.strength

    def _marks(self, event: Event, peeling: float) -> np.ndarray:
        """(n,) relief of the film, deviation about 1: ripples of spray or roller, or furrows of a brush."""
        if self.way != "brush":
            peel = event.noise(self.texture_mm, octaves=2, salt=2)
            if self.way == "roller":
                return peel * 0.6 + event.noise(self.texture_mm * 0.45, octaves=2, salt=6) * (0.8 * peeling / 1.4)
            return peel
        return event.step(self._brushed)

    def _brushed(self, event: Event) -> np.ndarray:
        texels, seed = event.texels, event.seed(5)
        # Strokes run along the longer way of the object and waver; lap marks lie where one stroke met the next.
        bounds = texels.mesh.bounds
        long = int(np.argmax(bounds[1] - bounds[0]))
        squeeze = np.ones(3, np.float32)
        squeeze[long] = 0.045
        waver = fractal(texels.position, self.texture_mm * 30, octaves=2, seed=seed + 1, texel_mm=texels.texel_mm)
        points = texels.position * squeeze + (waver * (self.texture_mm * 0.0012))[:, None]
        return fractal(points, self.texture_mm, octaves=3, gain=0.65, seed=seed, texel_mm=texels.texel_mm)

    def _sags(self, event: Event) -> np.ndarray:
        """(n,) 0..1: curtains that begin here and there on steep faces and end in a bead."""
        steep = 1.0 - np.abs(event.texels.normal[:, 1])
        start = event.noise(self.texture_mm * 16.0, octaves=2, salt=7)
        lane = event.noise(self.texture_mm * 3.0, octaves=2, tall=14.0, salt=9)
        begin = np.clip(start * 1.2 - 1.0, 0.0, 1.0) * np.clip(lane - 0.5, 0.0, 1.0)
        run = event.run_down(begin * 1.5, self.texture_mm * 9.0)
        # Along lower edges it stood in beads, here and there a drop.
        bead = blur(event.texels, lower_edges(event.texels), max(self.texture_mm * 0.4, 1.2 * event.texel_mm))
        drop = np.clip(event.noise(self.texture_mm * 2.2, octaves=2, salt=10) * 0.8 + 0.2, 0.0, 1.5)
        run = np.maximum(run, np.minimum(bead * 4.0, 1.0) * drop)
        even = np.minimum(event.antialiased(run, 2), 1.0)
        return even * np.minimum(steep * 2.0, 1.0) * event.step(self._film)
