"""Source: near something."""

from __future__ import annotations

from typing import Any, ClassVar, Literal

import numpy as np
from pydantic import Field, model_validator

from limus.common.fields import FileName, Name, choice, number, switch
from limus.common.hashing import key_of
from limus.masks.hand.branching import twigs
from limus.masks.hand.outline import outlines_of
from limus.masks.hand.stroke import lines_of, load_stroke, placed_points
from limus.masks.pattern import seed_field
from limus.masks.source import Scope, Source
from limus.patterns.noise import fractal
from limus.surface.areas import Areas, areas_of
from limus.surface.box_tree import box_tree
from limus.surface.mesh import Mesh, pieces_of
from limus.surface.nearest import distance_to, nearest_in

#: Fields that mean something where it is what is covered that counts.
_COVERS = {"any": [{"side": "on"}, {"filled": True}]}


class ProximitySource(Source):
    """Distance to other objects, to chosen parts, or to a line drawn on the surface; or what they cover."""

    kind: Literal["proximity"] = "proximity"
    order: ClassVar[int] = 6
    title: ClassVar[str] = "Near or on something"
    reading: ClassVar[str] = "proximity"
    sentence: ClassVar[str] = "{side} {reach_cm} of {to}"
    sentences: ClassVar[dict[str, dict[str, str]]] = {"side": {"on": "{side} {to}"}}

    to: Literal["neighbours", "parts", "line"] = choice(
        "neighbours", "Of", "What the distance is measured to", neighbours="other objects", parts="parts",
        line="a drawn line",
    )  # fmt: skip
    which: list[Name] = Field(
        default_factory=list, max_length=512, title="Which",
        description="Neighbours and markers, or pieces of them; none: all of them",
        json_schema_extra={"control": "others", "when": {"to": "neighbours"}},
    )  # fmt: skip
    parts: list[str] = Field(
        default_factory=list, max_length=512, title="Parts", description="Names of parts",
        json_schema_extra={"control": "parts", "when": {"to": "parts"}},
    )  # fmt: skip
    line: list[FileName] = Field(
        default_factory=list, max_length=200, title="Line", description="Stroke files whose paths are the line",
        json_schema_extra={"control": "line", "when": {"to": "line"}},
    )  # fmt: skip
    side: Literal["near", "inside", "beyond", "on"] = choice(
        "near", "Where",
        "Fading from touching to the distance, all within it, all beyond it, or just what is covered: the inside of "
        "closed pieces, what open ones lie over, what a closed line encloses",
        near="near, within", inside="within", beyond="beyond", on="on",
    )  # fmt: skip
    reach_cm: float = number(
        10.0, "Distance", "cm", 0.01, 100000.0, (0.5, 100.0), log=True, grows=0.75, unless={"side": "on"},
    )  # fmt: skip
    filled: bool = switch(
        False, "Inside counts as touching", "The distance is 0 throughout what they cover, not only at the border",
        unless={"side": "on"},
    )  # fmt: skip
    above_cm: float = number(
        5.0, "Reaches up", "cm", 0.0, 100000.0, (0.0, 100.0),
        "How far over an open piece or a closed line still counts as covered", grows=0.75, when=_COVERS,
    )  # fmt: skip
    below_cm: float = number(
        5.0, "Reaches down", "cm", 0.0, 100000.0, (0.0, 100.0),
        "How far under an open piece or a closed line still counts as covered", grows=0.75, when=_COVERS,
    )  # fmt: skip
    fade_cm: float = number(
        0.5, "Fades over", "cm", 0.0, 10000.0, (0.0, 20.0), "Width of the border, half of it on either side",
        grows=0.75, unless={"side": "near"},
    )  # fmt: skip
    branches: int = Field(
        0, ge=0, le=40, title="Branches",
        description="That leave the line, as those of a crack do; it narrows to its ends",
        json_schema_extra={"control": "slider", "unit": "", "soft": [0, 12], "scale": "linear", "step": 1,
            "when": {"to": "line"}, "unless": {"side": "on"}},
    )  # fmt: skip
    branch: float = number(
        0.3, "Length of branches", "%", 0.02, 2.0, (0.05, 1.0), "As a share of the length of the line",
        when={"to": "line"}, unless={"branches": 0},
    )  # fmt: skip
    breakup: float = number(
        0.0, "Broken up", "%", 0.0, 1.0, (0.0, 0.6), "How much the distance varies from place to place"
    )
    breakup_cm: float = number(
        3.0, "Break-up size", "cm", 0.01, 1000.0, (0.3, 30.0), "Size of that variation", log=True, grows=0.75
    )
    seed: int = seed_field()

    @classmethod
    def shown_by(cls, size_mm: float, component: str) -> dict[str, Any]:
        """The distance of the reading."""
        return {"reach_cm": size_mm / 10} if size_mm else {}

    @model_validator(mode="before")
    @classmethod
    def _in_mm(cls, given: Any) -> Any:
        """Documents from before the distance was given in centimetres."""
        if isinstance(given, dict) and isinstance(given.get("reach_mm"), (int, float)) and "reach_cm" not in given:
            given = {**given, "reach_cm": given["reach_mm"] / 10.0}
            del given["reach_mm"]
        return given

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files it reads."""
        return tuple(self.line)

    @property
    def needs(self) -> frozenset[str]:
        """Other objects only where it is measured to them."""
        return frozenset(("others",)) if self.to == "neighbours" else frozenset()

    @property
    def _covers(self) -> bool:
        return self.filled or self.side == "on"

    def _chosen(self, scope: Scope) -> Mesh | None:
        """What it is measured to, as one mesh; None for a line, or where nothing is chosen."""
        if self.to == "parts":
            own = scope.place.texels.mesh
            return pieces_of([own], [[part.name in self.parts for part in own.parts]])
        if self.to == "line":
            return None
        others = scope.place.measured.around.others
        wanted = [
            [not self.which or o.id in self.which or f"{o.id}/{p.name}" in self.which for p in o.mesh.parts]
            for o in others
        ]
        return pieces_of([o.mesh for o in others], wanted)

    def distance_mm(self, scope: Scope) -> np.ndarray:
        """(n,) float32 mm, cut off at twice the reach; below 0 inside of what is covered, where that counts."""
        texels = scope.place.texels
        far = (self.reach_cm * 20.0 if self.side != "on" else 0.0) + self.fade_cm * 10.0
        # Two texels at least, so that borders are soft.
        reach = max(far, 4.0 * texels.texel_mm) / 1000.0
        if self.to == "line":
            metres = self._from_lines(scope, reach)
        else:
            chosen = self._chosen(scope)
            if chosen is None:
                return np.full(len(texels), far, np.float32)
            if self._covers:
                metres = self._areas(scope, chosen).distance(texels.position, texels.normal, reach)
            else:
                metres = distance_to(texels.position, chosen.positions, chosen.triangles, reach)
        return metres * 1000.0

    def _areas(self, scope: Scope, chosen: Mesh) -> Areas:
        above, below = self.above_cm / 100.0, self.below_cm / 100.0
        found: Areas = scope.keep.get(key_of("areas", chosen.key, above, below), lambda: areas_of(chosen, above, below))
        return found

    def _from_lines(self, scope: Scope, reach: float) -> np.ndarray:
        texels = scope.place.texels
        positions, triangles = lines_of(self.line, scope.files, texels.mesh)
        if not len(triangles):
            return np.full(len(texels), reach, np.float32)
        if not self._covers:
            if self.branches:
                return self._from_twigs(scope, reach)
            return distance_to(texels.position, positions, triangles, reach)
        out = np.full(len(texels), reach, np.float32)
        for areas, way in self._outlines(scope):
            # An outline encloses what it was drawn on, not the back of it.
            facing = np.flatnonzero(texels.normal @ way.astype(np.float32) > 0)
            inside = areas.distance(texels.position[facing], texels.normal[facing], reach)
            out[facing] = np.minimum(out[facing], inside)
        return out

    def _from_twigs(self, scope: Scope, reach: float) -> np.ndarray:
        """(n,) metres: farther where a line or a branch is narrower than its full width."""
        texels = scope.place.texels
        wide = self.reach_cm / 100.0
        out = np.full(len(texels), reach, np.float32)
        for k, name in enumerate(self.line):
            path, facing, _ = placed_points(load_stroke(name, scope.files), texels.mesh)
            seed = (scope.seed * 7919 + self.seed) * 31 + k
            # Main lines and branches each by themselves: the nearest of all need not be the one that reaches farthest.
            for twig in twigs(path, facing, texels.mesh, self.branches, self.branch, seed):
                rows = np.arange(len(twig.points) - 1)
                tree = box_tree(twig.points, np.stack([rows, rows + 1, rows + 1], axis=1))
                distance, which = nearest_in(tree, texels.position, reach)
                width = (twig.width[:-1] + twig.width[1:])[which] / 2
                away = np.where(distance < reach, distance + wide * (1.0 - width), reach)
                out = np.minimum(out, away.astype(np.float32))
        return out

    def _outlines(self, scope: Scope) -> list[tuple[Areas, np.ndarray]]:
        mesh = scope.place.texels.mesh
        return outlines_of(self.line, scope.files, mesh, self.above_cm / 100.0, self.below_cm / 100.0)

    def value(self, scope: Scope) -> np.ndarray:
        """(n,) float32 0..1; black everywhere where there is nothing to be near to ("beyond": white)."""
        texels = scope.place.texels
        distance = self.distance_mm(scope)
        reach: Any = np.full(1, self.reach_cm * 10.0 if self.side != "on" else 0.0, np.float32)
        if self.breakup > 0:
            seed = scope.seed * 7919 + self.seed
            varied = fractal(texels.position, self.breakup_cm * 10.0, seed=seed, texel_mm=texels.texel_mm)
            if self.side == "on":
                # A border without a distance is moved by shares of the size of its break-up.
                reach = reach + self.breakup * self.breakup_cm * 10.0 * varied
            else:
                reach = reach * np.maximum(1.0 + self.breakup * 0.6 * varied, 0.05)
        if self.side == "near":
            return np.clip(1.0 - np.maximum(distance, 0.0) / reach, 0.0, 1.0)
        wide = self.fade_cm * 10.0 if self.side != "on" else max(self.fade_cm * 10.0, texels.texel_mm)
        inside = np.clip(0.5 + (reach - distance) / max(wide, 1e-3), 0.0, 1.0)
        return 1.0 - inside if self.side == "beyond" else inside

    def finding(self, scope: Scope) -> str:
        """There is nothing to be near to, or something of it marks nothing."""
        if self.to == "parts" and not self.parts:
            return "No part is chosen yet"
        if self.to == "line":
            if not self.line:
                return "No line is drawn yet: draw one on the surface"
            missed = len(self.line) - len(self._outlines(scope)) if self._covers else 0
            return "" if not missed else f"{open_lines(missed)}: bring the end of a line back to its beginning"
        if self.to == "neighbours":
            around = scope.place.measured.around
            if not around.others:
                return "The object has no neighbours: add one in the Object stage, or measure to parts or a line"
            known = {o.id for o in around.others} | {f"{o.id}/{p.name}" for o in around.others for p in o.mesh.parts}
            gone = [name for name in self.which if name not in known]
            if gone:
                return f"'{gone[0].split('/')[-1]}' is not there any more or switched off: choose again"
        chosen = self._chosen(scope)
        if chosen is None:
            return ""
        own = scope.place.texels.mesh
        reach = self.reach_cm / 100.0 if self.side != "on" else 0.0
        gap = np.maximum(chosen.bounds[0] - own.bounds[1], own.bounds[0] - chosen.bounds[1]).max()
        if self.side != "beyond" and gap > reach + max(self.above_cm, self.below_cm) / 100.0:
            return f"What it is measured to lies {length(gap)} away: move it in the Object stage, or check its unit"
        return ""


def open_lines(count: int) -> str:
    """So many lines enclose nothing, in words."""
    return "A line is open or encloses nothing" if count == 1 else f"{count} lines are open or enclose nothing"


def length(metres: float) -> str:
    """A length in words."""
    return f"{metres / 1000:.3g} km" if metres >= 1000 else f"{metres:.3g} m"
