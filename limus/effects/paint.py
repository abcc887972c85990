"""Effect: paint, with its primer."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.effects.effect import Effect, Event, Kind, Outcome, raised
from limus.fields import colour, number, switch
from limus.materials.channels import BLUE, CLEAR_COAT, CLEAR_COAT_ROUGHNESS, RED, ROUGHNESS, full, sheet
from limus.materials.substance import PAINT, PRIMER


class Paint(Effect):
    """Primer and topcoat.

    Paint flows off edges and gathers in corners, so the film is thinner on convex edges and thicker in creases (common practice,
    no source). Film thickness of whole systems after ISO 12944-5: about 120 to 320 micrometres (from memory).
    """

    kind: Literal["paint"] = "paint"
    order: ClassVar[int] = 0
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = "Paint"
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
    texture_mm: float = number(5.0, "Peel size", "mm", 0.2, 200.0, (1.0, 30.0), "Distance between ripples", log=True)
    unevenness: float = number(0.10, "Unevenness", "%", 0.0, 1.0, (0.0, 0.5), "Slow change of tone and gloss over the surface")
    varnish: float = number(0.0, "Varnish", "%", 0.0, 1.0, about="Weight of a clear, glossy finish over the topcoat")

    def apply(self, event: Event) -> Outcome:
        """Add the coats; thickness follows curvature at 4 mm."""
        pile = event.pile
        curve = event.scope.place.measured.curvature(4.0)
        film = np.clip(np.float32(1.0) - np.float32(0.7) * curve, 0.4, 1.4) * event.mask * np.float32(event.strength)
        if self.primer and self.primer_thickness_um > 0:
            ground = full(sheet(self.primer_color, 0.0, 0.75), len(film))
            patchy = event.noise(25.0, octaves=4, salt=3)
            ground[:, RED : BLUE + 1] *= (np.float32(1.0) + np.float32(0.10) * patchy)[:, None]
            np.clip(ground, 0, 1, out=ground)
            pile = pile.with_coat(event.coat(f"{event.name}: primer", PRIMER, film * np.float32(self.primer_thickness_um), ground))
        wide = event.noise(160.0, octaves=4, salt=1)
        top = full(sheet(self.color, 0.0, self.roughness, self.varnish, 0.08), len(film))
        uneven = np.float32(self.unevenness) * wide
        top[:, RED : BLUE + 1] *= (np.float32(1.0) + np.float32(0.5) * uneven)[:, None]
        top[:, ROUGHNESS] += np.float32(0.6) * uneven
        top[:, CLEAR_COAT_ROUGHNESS] += np.float32(0.3) * np.abs(uneven)
        top[:, CLEAR_COAT] = self.varnish
        np.clip(top, 0.0, 1.0, out=top)
        pile = pile.with_coat(
            event.coat(f"{event.name}: topcoat" if self.primer else event.name, PAINT, film * np.float32(self.thickness_um), top)
        )
        if self.texture_um > 0:
            peel = event.noise(self.texture_mm, octaves=2, salt=2)
            pile = raised(pile, peel * film * np.float32(self.texture_um * 0.001 * 0.5))
        return Outcome(pile, event.mask * np.float32(event.strength))
