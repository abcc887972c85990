"""What lies around the object and is not the object: ground, neighbours, and the finer twin it is measured from."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np

from limus.common.hashing import key_of
from limus.surface.mesh import Mesh


@dataclass(frozen=True)
class Other:
    """Another object where it stands. ``id`` names it; the parts of ``mesh`` are its pieces; a ``marker`` hides
    nothing; ``colours`` are the linear colours of its pieces, None for those that have a picture or nothing.
    """

    id: str
    name: str
    mesh: Mesh
    marker: bool = False
    colours: tuple[tuple[float, float, float] | None, ...] = ()


@dataclass(frozen=True)
class Surroundings:
    """Attributes
    ----------
    ground_m : height of a level ground that hides what is near it, metres; None: no ground.
    neighbours : what stands by, placed, as one mesh; it hides, but is not part of the solid.
    others : everything that is placed, markers as well, one by one; markers are never measured.
    twin : a finer mesh of the same object to measure from. twin_reach_m : how far from the surface it is looked for;
        None: found.
    """

    ground_m: float | None = None
    neighbours: Mesh | None = None
    twin: Mesh | None = None
    twin_reach_m: float | None = None
    others: tuple[Other, ...] = ()

    @cached_property
    def others_key(self) -> str:
        """Hash of what areas are made from; markers have no part in ``key``."""
        return key_of("others", [[other.id, other.mesh.key] for other in self.others]) if self.others else ""

    @cached_property
    def key(self) -> str:
        """Hash of all that is measured; "" where nothing of it is there."""
        if self.ground_m is None and self.neighbours is None and self.twin is None:
            return ""
        return key_of(
            self.ground_m,
            self.neighbours.key if self.neighbours is not None else "",
            self.twin.key if self.twin is not None else "",
            self.twin_reach_m,
        )

    def extent(self, mesh: Mesh) -> float:
        """A length that reaches past everything from anywhere on ``mesh``, metres."""
        boxes = [m.bounds for m in (mesh, self.neighbours, self.twin) if m is not None]
        low = np.min([b[0] for b in boxes], axis=0)
        high = np.max([b[1] for b in boxes], axis=0)
        return float(np.linalg.norm(high - low)) * 1.5


NOTHING = Surroundings()
