"""Interactive evaluation: meshes, readings and results that the server process keeps in memory."""

from __future__ import annotations

import threading
from collections import OrderedDict
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

import numpy as np
from django.conf import settings

from limus.chronicle import Chronicle
from limus.errors import Cancelled
from limus.formats.gltf_write import glb_bytes
from limus.hashing import key_of
from limus.inspection import inspection
from limus.preparation import neighbour_mesh, prepared, surroundings
from limus.readings.exposure import Exposure, measure_exposure, stored_exposure
from limus.readings.measured import Measured, stored
from limus.readings.ray_pass import Progress, RayPlan
from limus.readings.surroundings import Surroundings
from limus.readings.twin import carry
from limus.scene import Scene
from limus.strata.cache import Cache
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of
from server.projects.map_store import MapStore
from server.projects.models import Facts

Quality = Literal["fine", "good", "draft"]
#: Pairs of rays, and rays towards the sun, of each quality.
RAYS: dict[str, tuple[int, int]] = {"draft": (16, 8), "good": (32, 16), "fine": (96, 32)}
#: Pixels of all map sets together that are worked on at once; with many map sets the resolution comes down.
MOST_PIXELS = 1 << 24
#: The same for readings of each quality, so that a draft is a matter of seconds whatever comes in.
MOST_MEASURED = {"draft": 1 << 20, "good": 1 << 23, "fine": 1 << 24}


def fitting(mesh: Mesh, resolution: int, most: int = MOST_PIXELS) -> int:
    """The resolution, or the largest smaller power of two at which all map sets together fit into ``most`` pixels."""
    while len(mesh.uv_domains) * resolution * resolution > most and resolution > 32:
        resolution //= 2
    return resolution


def reading_size(mesh: Mesh, quality: str) -> int:
    """Resolution at which readings of a quality are measured."""
    good = settings.READINGS_RESOLUTION
    wanted = {"draft": min(256, max(64, good // 2)), "good": good, "fine": good * 2}[quality]
    return fitting(mesh, min(wanted, 4096), MOST_MEASURED[quality])


def find(name: str) -> Path:
    """Files of scenes are kept in the data folder; edits are checked against what the project has."""
    return Path(settings.DATA_DIR) / name


class Workshop:
    """One per process."""

    def __init__(self) -> None:
        self.cache = Cache(settings.CACHE_BUDGET)
        self.maps = MapStore(settings.MAP_BUDGET)
        #: Two evaluations at once: one per core.
        self.room = threading.BoundedSemaphore(2)
        self._meshes: OrderedDict[str, Mesh] = OrderedDict()
        self._around: OrderedDict[str, Surroundings] = OrderedDict()
        self._measured: OrderedDict[tuple[str, str], tuple[Quality, Measured]] = OrderedDict()
        self._exposure: OrderedDict[tuple[str, str], tuple[Quality, Exposure]] = OrderedDict()
        self._newest: dict[tuple[int, str], int] = {}
        self._lock = threading.RLock()

    # -- objects --------------------------------------------------------------------------------------------------------------

    @staticmethod
    def mesh_key(scene: Scene) -> str:
        """Hash of everything the prepared mesh depends on; files have the digest of their content in their names."""
        return key_of("mesh 1", scene.object.model_dump(exclude={"twin", "neighbours"}), scene.setting.up)

    def prepare(self, scene: Scene, progress: Progress | None = None) -> Mesh:
        """The mesh of a scene, not kept."""
        return prepared(scene.object, scene.setting, find, progress)

    def mesh(self, scene: Scene) -> Mesh:
        """The prepared mesh; made once."""
        key = self.mesh_key(scene)
        with self._lock:
            found = self._meshes.get(key)
            if found is None:
                found = self._meshes[key] = self.prepare(scene)
                while len(self._meshes) > 6:
                    self._meshes.popitem(last=False)
            self._meshes.move_to_end(key)
            return found

    def around(self, scene: Scene) -> Surroundings:
        """What stands around it; made once."""
        key = key_of(
            self.mesh_key(scene),
            scene.object.model_dump(include={"twin", "neighbours"}),
            scene.setting.ground_mm,
            scene.setting.ground_hides,
        )
        with self._lock:
            found = self._around.get(key)
            if found is None:
                found = self._around[key] = surroundings(scene.object, scene.setting, self.mesh(scene), find)
                while len(self._around) > 12:
                    self._around.popitem(last=False)
            self._around.move_to_end(key)
            return found

    def facts(self, scene: Scene) -> dict[str, Any]:
        """What inspection found of the prepared mesh; looked at once, kept in the database."""
        key = self.mesh_key(scene)
        row = Facts.objects.filter(key=key).first()
        if row is None:
            facts = inspection(self.mesh(scene), unit_known=True)
            facts["file"] = scene.object.file.rsplit("/", 1)[-1]
            row, _ = Facts.objects.get_or_create(key=key, defaults={"facts": facts})
        return row.facts

    def twin_facts(self, scene: Scene) -> dict[str, Any] | None:
        """How the twin was found: distance, parts that match, share of misses; from a coarse look."""
        around, mesh = self.around(scene), self.mesh(scene)
        if around.twin is None or mesh.uv is None:
            return None

        def look() -> dict[str, Any]:
            assert around.twin is not None
            texels = texels_of(mesh, reading_size(mesh, "draft"))
            found = carry(texels, around.twin, around.twin_reach_m)
            return {
                "reach_mm": float(f"{found.reach_m * 1000:.3g}"),
                "matched": len(found.matched),
                "parts": len(mesh.parts),
                "missed": texels.share(found.missed.astype(np.float32)),
            }

        return self.cache.get(key_of("twin facts", mesh.key, around.key), look, size=512)

    @lru_cache(maxsize=6)  # noqa: B019 - one workshop lives as long as the process
    def bare_glb(self, key: str, document: str) -> bytes:
        """The mesh alone, for the 3D view. ``document``: the scene as JSON."""
        return glb_bytes(self.mesh(Scene.model_validate_json(document)), name="object")

    @lru_cache(maxsize=12)  # noqa: B019
    def neighbour_glb(self, document: str) -> bytes:
        """A neighbour where it stands. ``document``: the neighbour as JSON."""
        from limus.object_file import Neighbour

        return glb_bytes(neighbour_mesh(Neighbour.model_validate_json(document), find), name="neighbour")

    # -- readings -------------------------------------------------------------------------------------------------------------

    def measured(self, scene: Scene) -> tuple[Quality, bool, Measured] | None:
        """(quality, whether it is of these very surroundings, readings): the best there are so far, or None.

        When only the surroundings changed, the last readings stand in until they are measured again.
        """
        mesh = self.mesh(scene)
        if mesh.uv is None:
            return None
        around = self.around(scene)
        key = (mesh.key, around.key)
        kept = self._measured.get(key)
        for quality in ("fine", "good", "draft"):
            if kept is not None and kept[0] == quality:
                self._measured.move_to_end(key)
                return quality, True, kept[1]
            pairs, _ = RAYS[quality]
            texels = texels_of(mesh, reading_size(mesh, quality)) if self._kept_on_disk(mesh, around, quality, pairs) else None
            found = stored(texels, RayPlan.for_mesh(mesh, pairs), around=around) if texels is not None else None
            if found is not None:
                self._measured[key] = (quality, found)  # type: ignore[assignment]
                while len(self._measured) > 8:
                    self._measured.popitem(last=False)
                return quality, True, found  # type: ignore[return-value]
        stand_in = next((v for (m, _), v in reversed(self._measured.items()) if m == mesh.key), None)
        return (stand_in[0], False, stand_in[1]) if stand_in is not None else None

    @staticmethod
    def _kept_on_disk(mesh: Mesh, around: Surroundings, quality: str, pairs: int) -> bool:
        """Whether the readings are there, without making the texels for them."""
        from limus.readings.measured import cache_folder

        key = RayPlan.for_mesh(mesh, pairs).key_for(mesh, reading_size(mesh, quality), around)
        return (cache_folder() / f"{key}.npy").is_file()

    def exposure(self, scene: Scene) -> tuple[Quality, Exposure]:
        """Sun, rain and run-off for this setting: the best there are, or a draft made at once."""
        mesh, around = self.mesh(scene), self.around(scene)
        place = key_of(scene.setting.model_dump())
        key = (f"{mesh.key} {around.key}", place)
        kept = self._exposure.get(key)
        for quality in ("fine", "good", "draft"):
            if kept is not None and kept[0] == quality:
                return kept
            if quality != "draft" and not self._kept_on_disk(mesh, around, quality, RAYS[quality][0]):
                continue
            texels = texels_of(mesh, reading_size(mesh, quality))
            found = stored_exposure(texels, scene.setting, around, RAYS[quality][1])
            if found is None and quality == "draft":
                found = measure_exposure(texels, scene.setting, around, rays=RAYS[quality][1])
            if found is not None:
                self._exposure[key] = (quality, found)  # type: ignore[assignment]
                while len(self._exposure) > 8:
                    self._exposure.popitem(last=False)
                return quality, found  # type: ignore[return-value]
        raise AssertionError("a draft is always made")

    def chronicle(self, scene: Scene, measured: Measured, resolution: int, *, weather: bool = False) -> Chronicle:
        """A player of the scene at ``resolution``; resampled readings are kept. ``weather``: sun, rain and run-off too."""
        texels = texels_of(self.mesh(scene), fitting(self.mesh(scene), resolution))

        def resampled(found: Any) -> np.ndarray:
            key = f"measured {found.key} at {texels.size}"
            table: np.ndarray = self.cache.get(key, lambda: found.at(texels).table)
            return table

        exposure = None
        if weather:
            _, found = self.exposure(scene)
            exposure = Exposure(texels, resampled(found), found.key)
        here = Measured(texels, measured.plan, resampled(measured), measured.around)
        return Chronicle(texels, here, self.cache, exposure, find)

    # -- the newest request of a tab wins -------------------------------------------------------------------------------------

    def newest(self, owner: int, client: str, ticket: int) -> None:
        """Note the newest request of a browser tab."""
        with self._lock:
            self._newest[(owner, client)] = max(ticket, self._newest.get((owner, client), 0))
            while len(self._newest) > 500:
                self._newest.pop(next(iter(self._newest)))

    def check(self, owner: int, client: str, ticket: int) -> None:
        """Raise ``Cancelled`` when a newer request of the same tab came in: the newest wins."""
        if self._newest.get((owner, client), 0) > ticket:
            raise Cancelled


@lru_cache(maxsize=1)
def workshop() -> Workshop:
    """The process's workshop."""
    return Workshop()
