"""The measured readings of one object, kept on disk by the hash of what they depend on."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from io import BytesIO
from pathlib import Path

import numpy as np

from limus.formats.files import write_whole
from limus.readings.kept import cache_folder, kept_file, note
from limus.readings.ray_pass import Progress, RayPlan, measure_rays
from limus.readings.surroundings import NOTHING, Surroundings
from limus.readings.twin import Carried, carry
from limus.surface.texels import Texels


@dataclass(frozen=True)
class Measured:
    """Result of one ray pass over ``texels``; ``table`` (n, plan.width) as ``measure_rays`` returns it.

    Kept as half floats, which have three decimal digits and take half the memory; what is asked for comes as float32.
    """

    texels: Texels
    plan: RayPlan
    table: np.ndarray
    around: Surroundings = NOTHING
    #: Its key where these are the readings of other texels, seen from here: those of the whole in a window.
    known_as: str = ""

    @classmethod
    def blank(cls, texels: Texels) -> Measured:
        """Stands in before anything was measured: everything open and flat."""
        plan = RayPlan.for_mesh(texels.mesh, 1)
        return cls(texels, plan, np.zeros((len(texels), plan.width), np.float32))

    @cached_property
    def key(self) -> str:
        """Hash of what was measured and how well."""
        return self.known_as or self.plan.key(self.texels, self.around)

    @property
    def normal(self) -> np.ndarray | None:
        """(n, 3) float32 tangent-space normals carried over from the twin, or None without one."""
        if self.around.twin is None:
            return None
        xy = self.table[:, self.plan.width : self.plan.width + 2].astype(np.float32)
        z = np.sqrt(np.maximum(1.0 - (xy * xy).sum(axis=1, keepdims=True), 4e-4))
        out = np.concatenate([xy, z], axis=1)
        return (out / np.linalg.norm(out, axis=1, keepdims=True)).astype(np.float32)

    @property
    def missed(self) -> np.ndarray:
        """(n,) float32: 1 where no twin was found within reach, 0 elsewhere (and everywhere without a twin)."""
        if self.around.twin is None:
            return np.zeros(len(self.texels), np.float32)
        return self._column(self.plan.width + 2)

    def curvature(self, radius_mm: float) -> np.ndarray:
        """(n,) signed curvature; between two measured radii by the logarithm of the radius, beyond them the nearest."""
        return self._between(0, self.plan.radii_mm, radius_mm)

    def occlusion(self, reach_mm: float) -> np.ndarray:
        """(n,) 0 open .. 1 closed."""
        return self._between(len(self.plan.radii_mm), self.plan.reaches_mm, reach_mm)

    @property
    def sky(self) -> np.ndarray:
        """(n,) 0..1."""
        return self._column(self.plan.width - 2)

    @property
    def thickness(self) -> np.ndarray:
        """(n,) mm."""
        return self._column(self.plan.width - 1) * self.plan.thickness_mm

    def _between(self, first: int, ladder: tuple[float, ...], value: float) -> np.ndarray:
        at = float(np.interp(np.log2(max(value, 1e-9)), np.log2(ladder), np.arange(len(ladder))))
        low = min(int(at), len(ladder) - 1)
        share = np.float32(at - low)
        column = self._column(first + low)
        if share > 1e-6 and low + 1 < len(ladder):
            column = column * (1 - share) + self._column(first + low + 1) * share
        return column

    def _column(self, k: int) -> np.ndarray:
        return np.ascontiguousarray(self.table[:, k], np.float32)

    def at(self, texels: Texels) -> Measured:
        """The same readings for the same mesh at another resolution."""
        if texels is self.texels:
            return self
        return Measured(texels, self.plan, texels.resample(self.table, self.texels).astype(np.float16), self.around)


def kept_on_disk(*keys: str) -> bool:
    """Whether the files with all these keys are there; they are read later."""
    return all(kept_file(f"{key}.npy").is_file() for key in keys)


def _width(plan: RayPlan, around: Surroundings) -> int:
    """Columns of the table: those of the pass, and with a twin its normal (x, y) and whether it was missed."""
    return plan.width + (3 if around.twin is not None else 0)


def stored(
    texels: Texels, plan: RayPlan, folder: Path | None = None, around: Surroundings = NOTHING
) -> Measured | None:
    """The readings if they were measured before, else None."""
    path = kept_file(f"{plan.key(texels, around)}.npy", folder)
    try:
        table = np.load(path, allow_pickle=False)
    except (OSError, ValueError, EOFError):
        return None
    if table.shape != (len(texels), _width(plan, around)):
        return None
    note(path.name)
    return Measured(texels, plan, table.astype(np.float16), around)


def measure(
    texels: Texels,
    plan: RayPlan | None = None,
    *,
    folder: Path | None = None,
    progress: Progress | None = None,
    around: Surroundings = NOTHING,
    carried: Carried | None = None,
) -> Measured:
    """Measured readings, from disk where they are there, else by a ray pass (which may raise ``Cancelled``).

    Values are rounded to half floats (3 decimal digits) either way, so that a second run gives the same bytes as the
    first.
    ``carried`` is what ``carry`` found of ``around.twin``; it is looked for here when left out.
    """
    plan = plan or RayPlan.for_mesh(texels.mesh)
    found = stored(texels, plan, folder, around)
    if found is not None:
        return found
    if carried is None and around.twin is not None:
        carried = carry(texels, around.twin, around.twin_reach_m)
    table = measure_rays(texels, plan, progress, around, carried)
    if carried is not None:
        extra = np.concatenate(
            [carried.tangent_normal(texels)[:, :2], carried.missed[:, None].astype(np.float32)], axis=1
        )
        table = np.concatenate([table, extra], axis=1)
    table = table.astype(np.float16)
    out = BytesIO()
    np.save(out, table)
    name = f"{plan.key(texels, around)}.npy"
    write_whole((folder or cache_folder()) / name, out.getvalue())
    note(name)
    return Measured(texels, plan, table, around)
