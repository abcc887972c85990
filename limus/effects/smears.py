"""Effect: smears and finger marks."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from limus.common.fields import number
from limus.common.kernel import kernel
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.common.parallel import for_ranges
from limus.effects.effect import Effect, Event, Group, Kind, Outcome, ShownOn
from limus.masks.recipe import Recipe, term
from limus.masks.sources.noise import Noise
from limus.masks.sources.sheltered import Sheltered
from limus.materials.channels import one
from limus.strata.composite import Use


@kernel
def _prints(start, end, middle, number, normal, half, ridge, share, out):  # type: ignore[no-untyped-def]
    """Ovals with ridges, one in some of the cells; ``middle`` (n, 3) mm from the middle of the cell."""
    one = np.float32(1.0)
    for i in range(start, end):
        out[i] = np.float32(0.0)
        bits = number[i]
        if np.float32(bits & np.uint32(1023)) > share * np.float32(1023.0):
            continue
        # Two directions in the surface, turned by the cell's own angle.
        nx, ny, nz = normal[i, 0], normal[i, 1], normal[i, 2]
        if abs(ny) < np.float32(0.9):
            ux, uy, uz = -nz, np.float32(0.0), nx
        else:
            ux, uy, uz = np.float32(0.0), nz, -ny
        length = np.sqrt(ux * ux + uy * uy + uz * uz)
        ux, uy, uz = ux / length, uy / length, uz / length
        vx, vy, vz = ny * uz - nz * uy, nz * ux - nx * uz, nx * uy - ny * ux
        a = middle[i, 0] * ux + middle[i, 1] * uy + middle[i, 2] * uz
        b = middle[i, 0] * vx + middle[i, 1] * vy + middle[i, 2] * vz
        turn = np.float32((bits >> np.uint32(10)) & np.uint32(1023)) * np.float32(6.2831853 / 1023.0)
        c, s = np.cos(turn), np.sin(turn)
        x, y = (c * a + s * b) / half, (c * b - s * a) / (half * np.float32(1.35))
        r = x * x + y * y
        if r >= one:
            continue
        # Ridges run around a point low in the oval.
        q = np.sqrt(x * x + (y + np.float32(0.35)) * (y + np.float32(0.35)) * np.float32(0.7)) * half
        lines = one
        if ridge > 0:
            lines = np.float32(0.55) + np.float32(0.45) * np.sin(q * np.float32(6.2831853) / ridge)
        press = np.float32(0.4) + np.float32(0.6) * np.float32((bits >> np.uint32(20)) & np.uint32(255)) / np.float32(
            255.0
        )
        out[i] = min((one - r) * np.float32(1.7), one) * lines * press


class Smears(Effect):
    """Touched and wiped: what hands and cloths leave changes how glossy a surface is, and nothing else."""

    kind: Literal["smears"] = "smears"
    order: ClassVar[int] = 16
    family: ClassVar[Kind] = "change"
    shown_on: ClassVar[ShownOn] = ("cast iron", ("paint", "lacquer"))
    title: ClassVar[str] = "Smears and finger marks"
    group: ClassVar[Group] = "Marks and stains"
    edition: ClassVar[int] = 2
    louder: ClassVar[str] = (
        "they change gloss alone; raise both amounts, choose a roughness far from that below, or lay lacquer before "
        "them"
    )
    summary: ClassVar[str] = "Prints, wiped arcs and a greasy film: roughness only, seen when the light moves"
    when: ClassVar[str] = "On glass, enamel, lacquer and polished metal; the last touch that makes gloss believable"

    prints: float = number(0.5, "Finger marks", "%", 0.0, 1.0, about="How many")
    print_mm: float = number(8.0, "Width of a finger", "mm", 1.0, 100.0, (4.0, 25.0), log=True, grows=0)
    smears: float = number(0.5, "Smears", "%", 0.0, 1.0, about="Wiped arcs and greasy patches")
    smear_mm: float = number(60.0, "Smear size", "mm", 1.0, 4000.0, (10.0, 300.0), log=True, grows=0.8)
    roughness: float = number(
        0.55, "Roughness", "", 0.02, 1.0, (0.1, 0.9), "Of what they leave; below that of the surface they shine on it"
    )

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """Where hands get at it, in a few regions."""
        return Recipe(
            terms=[
                term(Sheltered(reach_mm=size.mm(50.0, 0.75)), low=0.1, high=0.7, invert=True),
                term(Noise(size_mm=size.mm(200.0, 0.9), octaves=3, seed=71), low=0.3, high=0.75, out_low=0.1),
            ]
        )

    def apply(self, event: Event) -> Outcome:
        """Leave the film."""
        weight = event.step(self._weight)
        uses = {**event.uses}
        sheet = {"roughness": one(self.roughness), "coat_roughness": one(self.roughness * 0.6)}
        if "coat_weight" in event.pile.used:
            # On lacquer the film lies on the lacquer.
            uses.setdefault("clear_coat", Use())
        else:
            sheet.pop("coat_roughness")
        return Outcome(event.pile.with_coat(event.veil(np.minimum(weight, 0.98), sheet, uses=uses)), weight)

    def _weight(self, event: Event) -> np.ndarray:
        texels = event.texels
        out: np.ndarray = np.zeros(len(texels), np.float32)
        if self.smears > 0:
            arcs = event.noise(self.smear_mm * 0.22, octaves=4, gain=0.65, tall=0.18, salt=111)
            patch = event.noise(self.smear_mm, octaves=3, salt=112)
            out = np.clip((patch * 0.5 + 0.25 * arcs - 0.15) * 2.4, 0.0, 1.0) * self.smears
        if self.prints > 0 and self.print_mm > 2.0 * texels.texel_mm:
            cell = event.cells(self.print_mm * 2.1, salt=113, jitter=0.8)
            marks = np.empty(len(texels), np.float32)
            ridge = 0.5 * self.print_mm / 8.0
            for_ranges(
                _prints,
                len(marks),
                cell.from_middle,
                cell.number,
                texels.normal,
                np.float32(self.print_mm * 0.62),
                np.float32(ridge if ridge > 2.0 * texels.texel_mm else 0.0),
                np.float32(self.prints),
                marks,
            )
            where = np.clip(event.noise(self.print_mm * 9.0, octaves=2, salt=114) * 1.2, 0.0, 1.0)
            blotchy = np.clip(0.6 + 0.3 * event.noise(self.print_mm * 0.35, octaves=3, salt=115), 0.0, 1.0)
            out = np.maximum(out, np.minimum(marks * where * blotchy * 1.2, 1.0))
        return (out * event.mask * event.strength).astype(np.float32)
