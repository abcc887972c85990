"""Interactive evaluation: meshes, readings and results that the server process keeps in memory."""

from __future__ import annotations

import threading
from collections import OrderedDict
from functools import lru_cache

import numpy as np
from django.conf import settings

from limus.chronicle import Chronicle
from limus.errors import Cancelled
from limus.formats.gltf_read import read_gltf
from limus.formats.gltf_write import glb_bytes
from limus.readings.measured import Measured, stored
from limus.readings.ray_pass import RayPlan
from limus.strata.cache import Cache
from limus.surface.mesh import Mesh
from limus.surface.pyramid import texels_of
from server.projects.map_store import MapStore
from server.projects.models import WorkObject

#: (resolution, pairs of rays) of the two qualities of readings.
DRAFT = (256, 16)
GOOD_PAIRS = 32


def good_size() -> tuple[int, int]:
    """Resolution and pairs of the readings that the view works with."""
    return settings.READINGS_RESOLUTION, GOOD_PAIRS


class Workshop:
    """One per process."""

    def __init__(self) -> None:
        self.cache = Cache(settings.CACHE_BUDGET)
        self.maps = MapStore(settings.MAP_BUDGET)
        #: Two evaluations at once: one per core.
        self.room = threading.BoundedSemaphore(2)
        self._meshes: OrderedDict[str, Mesh] = OrderedDict()
        self._measured: dict[str, tuple[str, Measured]] = {}
        self._newest: dict[tuple[int, str], int] = {}
        self._lock = threading.Lock()

    def mesh(self, item: WorkObject) -> Mesh:
        """The object's mesh; read once."""
        with self._lock:
            found = self._meshes.get(item.digest)
            if found is None:
                found = self._meshes[item.digest] = read_gltf(item.path, name=item.file.rsplit("/", 1)[-1])
                while len(self._meshes) > 6:
                    gone, _ = self._meshes.popitem(last=False)
                    self._measured.pop(gone, None)
            self._meshes.move_to_end(item.digest)
            return found

    @lru_cache(maxsize=6)  # noqa: B019 - one workshop lives as long as the process
    def bare_glb(self, digest: str, item_id: int) -> bytes:
        """The mesh alone, for the 3D view."""
        return glb_bytes(self.mesh(WorkObject.objects.get(pk=item_id)), name="object")

    def measured(self, item: WorkObject) -> tuple[str, Measured] | None:
        """("good" or "draft", readings) - the best there are so far - or None."""
        kept = self._measured.get(item.digest)
        if kept is not None and kept[0] == "good":
            return kept
        mesh = self.mesh(item)
        for quality, (size, pairs) in (("good", good_size()), ("draft", DRAFT)):
            if kept is not None and kept[0] == quality:
                return kept
            found = stored(texels_of(mesh, size), RayPlan.for_mesh(mesh, pairs))
            if found is not None:
                self._measured[item.digest] = (quality, found)
                return quality, found
        return None

    def chronicle(self, item: WorkObject, measured: Measured, resolution: int) -> Chronicle:
        """A player of scenes at ``resolution``; resampled readings are kept."""
        texels = texels_of(self.mesh(item), resolution)
        key = f"measured {measured.plan.key(measured.texels)} at {resolution}"
        table: np.ndarray = self.cache.get(key, lambda: measured.at(texels).table)
        return Chronicle(texels, Measured(texels, measured.plan, table), self.cache)

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
