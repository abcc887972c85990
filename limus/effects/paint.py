"""Effect: paint, with its primer."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.effects.effect import Effect, Event, Kind, Outcome, raised
from limus.fields import colour, number, switch
from limus.materials.channels import one
from limus.materials.substance import PAINT, PRIMER
from limus.materials.tone import toned


class Paint(Effect):
    """Primer and topcoat.

    Paint flows off edges and gathers in corners, so the film is thinner on convex edges and thicker in creases (common practice,
    no source). Film thickness of whole systems after ISO 12944-5: about 120 to 320 micrometres (from memory).
    """

    kind: Literal["paint"] = "paint"
    order: ClassVar[int] = 0
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Paint"
    reads: ClassVar[tuple[str, ...]] = ("rays",)
    suits: ClassVar[tuple[str, ...]] = ("ferrous", "zinc", "aluminium", "other metal", "timber", "polymer")
    pieces: ClassVar[dict[str, str]] = {"primer": "Primer", "topcoat": "Topcoat"}
    summary: ClassVar[str] = "A topcoat on a primer, with the unevenness of a real film"

    color: tuple[float, float, float] = colour((0.032, 0.128, 0.094), "Topcoat color")
    thickness_um: float = number(120.0, "Topcoat thickness", "µm", 0.0, 2000.0, (20.0, 300.0))
    roughness: float = number(0.42, "Roughness", "", 0.02, 1.0, (0.1, 0.9), "Low is glossy")
    primer: bool = switch(True, "Primer", "A coat below the topcoat that shows at the rim of chips")
    primer_color: tuple[float, float, float] = colour((0.262, 0.085, 0.048), "Primer color", when={"primer": True})
    primer_thickness_um: float = number(60.0, "Primer thickness", "µm", 0.0, 1000.0, (20.0, 150.0), when={"primer": True})
    texture_um: float = number(
        14.0, "Orange peel", "µm", 0.0, 500.0, (0.0, 60.0), "Height of the ripple that a roller or gun leaves"
    )
    texture_mm: float = number(5.0, "Peel size", "mm", 0.2, 200.0, (1.0, 30.0), "Distance between ripples", log=True, grows=0)
    unevenness: float = number(0.10, "Unevenness", "%", 0.0, 1.0, (0.0, 0.5), "Slow change of tone and gloss over the surface")
    unevenness_mm: float = number(
        160.0,
        "Unevenness size",
        "mm",
        1.0,
        100000.0,
        (20.0, 600.0),
        "Distance over which tone and gloss change",
        log=True,
        grows=1.0,
    )
    edge_mm: float = number(
        4.0, "Edge size", "mm", 0.05, 1000.0, (0.5, 30.0), "Edges up to this rounding carry a thinner film, creases a thicker one",
        log=True, grows=0.5,
    )  # fmt: skip
    varnish: float = number(0.0, "Varnish", "%", 0.0, 1.0, about="Weight of a clear, glossy finish over the topcoat")

    def apply(self, event: Event) -> Outcome:
        """Add the coats; thickness follows curvature."""
        pile = event.pile
        curve = event.scope.place.measured.curvature(self.edge_mm)
        film = np.clip(np.float32(1.0) - np.float32(0.7) * curve, 0.4, 1.4) * event.mask * np.float32(event.strength)
        if self.primer and self.primer_thickness_um > 0:
            patchy = event.noise(25.0, octaves=4, salt=3)
            ground = {"base_color": toned(self.primer_color, np.float32(1.0) + np.float32(0.10) * patchy), "roughness": one(0.75)}
            thickness = film * np.float32(self.primer_thickness_um)
            pile = pile.with_coat(event.coat(f"{event.name}: primer", PRIMER, thickness, ground, "primer"))
        uneven = np.float32(self.unevenness) * event.noise(self.unevenness_mm, octaves=4, salt=1)
        top = {
            "base_color": toned(self.color, np.float32(1.0) + np.float32(0.5) * uneven),
            "roughness": np.clip(np.float32(self.roughness) + np.float32(0.6) * uneven, 0.0, 1.0),
        }
        if self.varnish > 0:
            top["coat_weight"] = one(self.varnish)
            top["coat_roughness"] = np.clip(np.float32(0.08) + np.float32(0.3) * np.abs(uneven), 0.0, 1.0)
        name = f"{event.name}: topcoat" if self.primer else event.name
        pile = pile.with_coat(event.coat(name, PAINT, film * np.float32(self.thickness_um), top, "topcoat"))
        if self.texture_um > 0:
            peel = event.noise(self.texture_mm, octaves=2, salt=2)
            pile = raised(pile, peel * film * np.float32(self.texture_um * 0.001 * 0.5))
        return Outcome(pile, event.mask * np.float32(event.strength))
