"""The pile at every texel: a substrate and coats on it, oldest first.

A pile is never changed; a layer makes a new one that shares the arrays it did not touch.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace

import numpy as np

from limus.common.colour import luminance
from limus.common.deciding import decided
from limus.common.errors import InputError
from limus.common.kernel import fading, kernel
from limus.common.parallel import for_slices
from limus.materials.channels import CHANNELS, Sheet, at_rows, spread
from limus.materials.substance import Substance
from limus.strata.alteration import Alteration
from limus.strata.composite import FULL, Laid, Spoken, Use, composited
from limus.surface.texels import Texels


@dataclass(frozen=True)
class Coat:
    """What a deposit left.

    Attributes
    ----------
    layer : id of the layer. piece : which of its coats, "" where it leaves only one. name : shown in the list of coats.
    thickness : (n,) float32 micrometres.
    sheet : the channels it speaks in, see ``materials.channels``. In the others a coat that hides what is below has
        the default.
    alters : in place of a sheet, what a veil makes of whatever shows below it.
    uses : by voice, where it does not speak fully and plainly.
    """

    layer: str
    name: str
    substance: Substance
    thickness: np.ndarray
    sheet: Sheet
    uses: Mapping[str, Use] = field(default_factory=dict)
    piece: str = ""
    alters: Alteration | None = None

    @property
    def names(self) -> tuple[str, ...]:
        """Channels that it speaks in."""
        return (*self.sheet, *(self.alters.speaks if self.alters is not None else ()))

    def at(self, rows: np.ndarray) -> Coat:
        """The coat at chosen texels."""
        alters = self.alters.at(rows) if self.alters is not None else None
        return replace(self, thickness=self.thickness[rows], sheet=at_rows(self.sheet, rows), alters=alters)

    @property
    def id(self) -> str:
        """How recipes name this very coat: ``layer``, or ``layer/piece``."""
        return f"{self.layer}/{self.piece}" if self.piece else self.layer

    def spoken(self, used: Iterable[str]) -> list[Spoken]:
        """(channel, value, use) for every channel among ``used`` that this coat has a say in; the value is None where
        it follows from what is below.
        """
        out: list[Spoken] = []
        altered = self.alters.speaks if self.alters is not None else ()
        for name in used:
            channel = CHANNELS[name]
            value = self.sheet.get(name)
            if name in altered:
                use = self.uses.get(channel.voice, FULL)
                if use.weight > 0:
                    out.append((name, None, use))
                continue
            if value is None:
                if self.substance.clear or not channel.covered:
                    continue
                value = channel.plain()
            use = self.uses.get(channel.voice, FULL)
            if use.weight > 0:
                out.append((name, value, use))
        return out


@kernel
def _see_through(thickness, open_above, rate):  # type: ignore[no-untyped-def]
    for i in range(len(thickness)):
        open_above[i] *= fading(max(thickness[i], np.float32(0.0)) * rate)


@kernel
def _share_out(thickness, open_above, out, rate):  # type: ignore[no-untyped-def]
    """Adds to ``out`` what this coat shows, and takes it from what is open."""
    for i in range(len(thickness)):
        through = fading(max(thickness[i], np.float32(0.0)) * rate)
        out[i] += open_above[i] * (np.float32(1.0) - through)
        open_above[i] *= through


@dataclass(frozen=True)
class Marks:
    """What a base says of itself besides its channels.

    ``joint`` (n,) 0..1 where it is a joint between pieces; ``piece`` (n,) 0..1 a value for each piece; ``occlusion``
    (n,) 0 open, as its maps have it;
    ``order`` for each substance of the pile the number of the base in the scene; ``key`` a hash of them.
    """

    joint: np.ndarray | None = None
    piece: np.ndarray | None = None
    occlusion: np.ndarray | None = None
    order: tuple[int, ...] = ()
    key: str = ""


@dataclass(frozen=True)
class Pile:
    """State of the surface at one moment of the chronicle.

    Attributes
    ----------
    key : hash of everything that led here.
    base : sheet of the substrate. substances : what it consists of. substance : (n,) uint8 index into ``substances``.
    coats : oldest first. skin : (n,) float32 mm, relief of the substrate with what layers pressed in or raised (coats
        not counted).
    marks : joints and pieces of the base. cleft : (n,) float32 mm to the nearest lip of a crack, below 0 inside it;
        None where nothing has cracked.
    """

    texels: Texels
    key: str
    base: Sheet
    substances: tuple[Substance, ...]
    substance: np.ndarray
    skin: np.ndarray
    coats: tuple[Coat, ...] = ()
    marks: Marks = Marks()
    cleft: np.ndarray | None = None

    def with_coat(self, coat: Coat) -> Pile:
        """The pile with one more coat on top."""
        return replace(self, coats=(*self.coats, coat))

    @property
    def used(self) -> list[str]:
        """Channels that the base or a coat speaks in, in the order of the registry."""
        spoken = set(self.base).union(*(c.names for c in self.coats))
        return [name for name in CHANNELS if name in spoken]

    def visible(self) -> dict[str, np.ndarray]:
        """What shows in every channel that is used, composited bottom up with ``v = 1 - exp(-t / hide)``."""
        used = self.used
        below = {name: self.base.get(name, CHANNELS[name].plain()) for name in used}
        return composited(
            len(self.skin),
            below,
            [Laid(c.thickness, c.substance.hide_um, c.spoken(used), c.alters) for c in self.coats],
        )

    def relief(self) -> np.ndarray:
        """(n,) float32 mm: the skin and the thickness of all coats (veils have none)."""
        out = self.skin.copy()
        for coat in self.coats:
            if coat.substance.family != "veil":
                out += coat.thickness * 0.001
        return out

    def only(self, rows: np.ndarray) -> Pile:
        """The pile at chosen texels, for small pictures: ``visible`` works on it, readings of the surface do not."""
        coats = tuple(c.at(rows) for c in self.coats)
        return replace(
            self,
            base=at_rows(self.base, rows),
            substance=self.substance[rows],
            skin=self.skin[rows],
            coats=coats,
            cleft=None,
        )

    def _shown(self, wanted: Callable[[Coat], bool], base: bool) -> np.ndarray:
        """(n,) float32: how much of what shows is a coat that is ``wanted``, and the base where asked for."""
        left, out = np.ones(len(self.skin), np.float32), np.zeros(len(self.skin), np.float32)
        for coat in reversed(self.coats):
            if coat.substance.clear or coat.substance.family == "veil":
                continue
            rate = np.float32(1.0 / coat.substance.hide_um)
            if wanted(coat):
                for_slices(_share_out, (coat.thickness, left, out), rate)
            else:
                for_slices(_see_through, (coat.thickness, left), rate)
        if base:
            out += left
        return np.minimum(out, 1.0)

    def bare(self) -> np.ndarray:
        """(n,) float32 0..1: how much of the base no coat hides."""
        return self._shown(lambda coat: False, True)

    def exposures(self) -> list[np.ndarray]:
        """(n,) exposure of the base and of every coat, oldest first, in one pass from the top."""
        left = np.ones(len(self.skin), np.float32)
        out: list[np.ndarray] = []
        for coat in reversed(self.coats):
            shown = np.zeros(len(left), np.float32)
            if not coat.substance.clear and coat.substance.family != "veil":
                for_slices(_share_out, (coat.thickness, left, shown), np.float32(1.0 / coat.substance.hide_um))
            out.append(shown)
        return [left, *reversed(out)]

    def has(self, family: str) -> bool:
        """Whether the base or a coat is of this family anywhere."""
        return decided(  # type: ignore[no-any-return]
            f"has {family}",
            lambda: any(c.substance.family == family for c in self.coats) or bool(self._base_of(family).any()),
        )

    def _base_of(self, family: str) -> np.ndarray:
        """(n,) bool: where the substrate is of this family."""
        mine = np.array([s.family == family for s in self.substances], bool)
        return mine[self.substance]

    def substance_of(self, family: str) -> np.ndarray:
        """(n,) float32 0 or 1: where the substrate, hidden or not, is of this family."""
        return self._base_of(family).astype(np.float32)

    def exposed(self, family: str) -> np.ndarray:
        """(n,) float32 0..1: how much of what shows, base or coat, is of this family."""
        out = self._shown(lambda coat: coat.substance.family == family, False)
        here = self._base_of(family)
        return np.minimum(out + self.bare() * here, 1.0) if here.any() else out

    def exposure_of(self, what: str) -> np.ndarray:
        """(n,) float32: ``what`` is "base", "family:" and a family, the id of a layer, or that of one coat
        ("paint/primer").

        Raises
        ------
        InputError : no earlier layer has that id (the scene's validation normally says so first).
        """
        if what == "base":
            return self.bare()
        if what.startswith("family:"):
            return self.exposed(what.removeprefix("family:"))
        self._need(what)
        return self._shown(lambda coat: what in (coat.layer, coat.id), False)

    def _need(self, what: str) -> None:
        if not any(what in (coat.layer, coat.id) for coat in self.coats):
            raise InputError(
                f"no earlier layer left a coat with the id '{what}'",
                where="exposed",
                remedy="Choose a layer to its left in the chronicle",
            )

    def coat_thickness(self, layer: str) -> np.ndarray:
        """(n,) float32 micrometres of everything the layer (or the one coat) with that id has left; 0 where it left
        nothing.
        """
        return self.thickness_of(lambda coat: layer in (coat.layer, coat.id) and coat.substance.family != "veil")

    def thickness_of(self, wanted: Callable[[Coat], bool]) -> np.ndarray:
        """(n,) float32 micrometres of all coats that are ``wanted``."""
        out = np.zeros(len(self.skin), np.float32)
        for coat in self.coats:
            if wanted(coat):
                out += coat.thickness
        return out

    def wetness(self) -> np.ndarray:
        """(n,) float32 0..1: how much of the surface films of water cover."""
        dry = np.ones(len(self.skin), np.float32)
        for coat in self.coats:
            if coat.substance.family == "water":
                for_slices(_see_through, (coat.thickness, dry), np.float32(1.0 / coat.substance.hide_um))
        return 1.0 - dry

    def porosity(self) -> np.ndarray:
        """(n,) float32 0..1: share of open pores of what shows, by how much of it each substance is."""
        left, out = np.ones(len(self.skin), np.float32), np.zeros(len(self.skin), np.float32)
        for coat in reversed(self.coats):
            if coat.substance.clear or coat.substance.family == "veil":
                continue
            shown = np.zeros(len(left), np.float32)
            for_slices(_share_out, (coat.thickness, left, shown), np.float32(1.0 / coat.substance.hide_um))
            out += shown * coat.substance.porosity
        own = np.array([s.porosity for s in self.substances], np.float32)
        return np.minimum(out + left * own[self.substance], 1.0)

    def clefts(self, reach_mm: float) -> np.ndarray:
        """(n,) float32 0..1: 1 in cracks, falling to 0 at ``reach_mm`` from their lips; 0 where nothing has cracked."""
        if self.cleft is None:
            return np.zeros(len(self.skin), np.float32)
        return np.clip(1.0 - self.cleft * (1.0 / max(reach_mm, 1e-6)), 0.0, 1.0).astype(np.float32)

    def base_map(self, what: str) -> np.ndarray:
        """(n,) float32 of the substrate: "height" mm, "roughness", "metalness" or "brightness" (BT.709 luminance) 0..1,
        "joint" and "piece" (0 and 0.5 where it has none), or "occlusion" as its maps have it (0 open).
        """
        if what == "height":
            return self.skin
        if what in ("joint", "piece", "occlusion"):
            mark: np.ndarray | None = getattr(self.marks, what)
            return mark if mark is not None else np.full(len(self.skin), 0.5 if what == "piece" else 0.0, np.float32)
        name = "base_color" if what == "brightness" else what
        value = spread(self.base.get(name, CHANNELS[name].plain()), CHANNELS[name], len(self.skin))
        return np.ascontiguousarray(luminance(value) if what == "brightness" else value, np.float32)
