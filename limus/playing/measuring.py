"""Readings of an object where it stands: the best there are so far, and better ones measured."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

import numpy as np

from limus.common.hashing import key_of
from limus.common.store import Store
from limus.playing.sizes import MOST_MEASURED, fitting
from limus.readings.exposure import Exposure, exposure_files, measure_exposure, stored_part
from limus.readings.measured import Measured, measure, stored
from limus.readings.measured import kept_on_disk as readings_on_disk
from limus.readings.ray_pass import Progress, RayPlan
from limus.readings.setting import Setting
from limus.readings.surroundings import Surroundings
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of
from limus.surface.texels import Texels

Quality = Literal["fine", "good", "draft"]
#: Best first.
QUALITIES: tuple[Quality, ...] = ("fine", "good", "draft")
#: Pairs of rays, and rays towards the sun, of each quality.
RAYS: dict[str, tuple[int, int]] = {"draft": (16, 8), "good": (32, 16), "fine": (96, 32)}
WORDS: dict[str, str] = {"draft": "Draft readings", "good": "Measuring readings", "fine": "Measuring fine readings"}
#: Resolution at which good readings are measured, unless the session says otherwise.
GOOD = 1024
Say = Callable[[float, str], None]
#: Seconds that it takes to read readings from disk, about.
_LOADING = 0.05


@dataclass(frozen=True)
class Readings:
    """Readings of an object: their quality, whether they are of these very surroundings, and the readings."""

    quality: Quality
    exact: bool
    measured: Measured


def _stretch(say: Say, start: float, end: float) -> Progress:
    """Progress of one step as that of the whole."""
    return lambda share: say(start + (end - start) * 0.99 * share, "")


@dataclass(frozen=True)
class Measuring:
    """``mesh`` among what stands ``around`` it, in a ``setting``; results go into ``store`` and to disk.

    ``good`` is the resolution at which good readings are measured: a draft takes a quarter of it, fine ones twice as
    much.
    """

    mesh: Mesh
    around: Surroundings
    setting: Setting
    store: Store
    good: int

    def size(self, quality: str) -> int:
        """Resolution at which readings of a quality are measured."""
        wanted = {"draft": min(256, max(64, self.good // 2)), "good": self.good, "fine": self.good * 2}[quality]
        return fitting(self.mesh, min(wanted, 4096), MOST_MEASURED[quality])

    def quality(self) -> tuple[Quality, bool] | None:
        """Quality of the best readings there are, and whether they are of these very surroundings; nothing is read
        for it.
        """
        mesh, around = self.mesh, self.around
        if mesh.uv is None:
            return None
        for quality in QUALITIES:
            key = RayPlan.for_mesh(mesh, RAYS[quality][0]).key_for(mesh, self.size(quality), around)
            if key in self.store or readings_on_disk(key):
                return quality, True
        before: Readings | None = self.store.peek(key_of("last readings", mesh.key))
        return (before.quality, False) if before is not None else None

    def best(self) -> Readings | None:
        """The best readings there are so far, or None.

        When only the surroundings changed, the last readings stand in until they are measured again.
        """
        mesh, around = self.mesh, self.around
        if mesh.uv is None:
            return None
        last = key_of("last readings", mesh.key)
        for quality in QUALITIES:
            plan, size = RayPlan.for_mesh(mesh, RAYS[quality][0]), self.size(quality)
            key = plan.key_for(mesh, size, around)
            found: Measured | None = self.store.peek(key)
            if found is None and readings_on_disk(key):
                # What cannot be read is not kept as missing: it will be measured again.
                found = stored(texels_of(mesh, size), plan, around=around)
                if found is not None:
                    self.store.put(key, found, _LOADING)
            if found is not None:
                result = Readings(quality, True, found)
                self.store.put(last, result)
                return result
        before: Readings | None = self.store.peek(last)
        return Readings(before.quality, False, before.measured) if before is not None else None

    def exposure(self, texels: Texels) -> Exposure:
        """Sun, rain and run-off for this setting at ``texels``: the best there are of each, or a draft made at once.

        When the wind turns, the sun stays as well measured as it is.
        """
        tables, keys = zip(*(self._weather(part, texels) for part in range(2)), strict=True)
        return Exposure(texels, np.concatenate(tables, axis=1), keys)

    def _weather(self, part: int, texels: Texels) -> tuple[np.ndarray, str]:
        """Sun (part 0), or rain and run-off (part 1): a table at ``texels``, and what it was measured for and how
        well.
        """
        mesh, around, setting = self.mesh, self.around, self.setting
        for quality in QUALITIES:
            size, rays = self.size(quality), RAYS[quality][1]
            key = exposure_files(key_of(mesh.key, size), setting, around, rays)[part]
            at = f"weather {key} at {texels.size}"
            found: np.ndarray | None = self.store.peek(at)
            if found is None and (quality == "draft" or readings_on_disk(key)):
                source = texels_of(mesh, size)
                if quality == "draft":
                    measure_exposure(source, setting, around, rays=rays)
                table = stored_part(source, setting, around, rays, part)
                if table is not None:
                    found = self.store.get(at, lambda t=table, s=source: texels.resample(t, s))  # type: ignore[misc]
            if found is not None:
                return found, key
        raise AssertionError("a draft is always made")

    def measure(self, wished: str, say: Say) -> None:
        """A draft first, so that something can be seen in a second or two, then better ones up to the quality
        ``wished``.

        May raise ``Cancelled`` through ``say``.
        """
        mesh, around = self.mesh, self.around
        mesh.need_uv()
        steps = {"draft": (0.01, 0.10), "good": (0.10, 1.0 if wished == "good" else 0.30), "fine": (0.30, 1.0)}
        for quality in reversed(QUALITIES):
            start, end = steps[quality]
            pairs, rays = RAYS[quality]
            texels = texels_of(mesh, self.size(quality))
            turn = start + 0.7 * (end - start)
            say(start, WORDS[quality])
            measure(texels, RayPlan.for_mesh(mesh, pairs), around=around, progress=_stretch(say, start, turn))
            say(turn, "Sun, rain and run-off")
            measure_exposure(texels, self.setting, around, rays=rays, progress=_stretch(say, turn, end))
            say(end, "")
            if quality == wished:
                return
