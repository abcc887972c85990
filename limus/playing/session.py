"""One scene being worked on: its object, its readings in the best quality there is, and players of its chronicle.

A session itself is light. Everything heavy lies in the store, by keys that name what it depends on, so sessions of one
object share it, whoever asks; no lock is held while something is made.
"""

from __future__ import annotations

from copy import copy
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.object_size import ObjectSize
from limus.common.store import Store, shared
from limus.common.wording import one_of
from limus.document.scene import Scene
from limus.formats.gltf_write import glb_bytes
from limus.formats.picture_read import read_picture
from limus.intake.inspection import inspection
from limus.intake.object_file import Neighbour, ObjectFile
from limus.intake.preparation import Finder, neighbour_mesh, prepared, surroundings
from limus.playing.chronicle import Chronicle, Surface, Watcher
from limus.playing.measuring import GOOD, Measuring, Say
from limus.playing.sizes import BYTES_PER_TEXEL, SIZES, fitting
from limus.readings.exposure import measure_exposure
from limus.readings.measured import Measured, measure
from limus.readings.ray_pass import Progress
from limus.readings.surroundings import Surroundings
from limus.readings.twin import carry
from limus.surface.mesh import Mesh
from limus.surface.outward import outward
from limus.surface.pyramid import texels_key, texels_of
from limus.surface.texels import Texels


def object_key(document: ObjectFile, up: str) -> str:
    """Hash of what a scene says of its object; where file names tell their content (as on the server), of all the
    mesh depends on.
    """
    return key_of("mesh 2", document.model_dump(exclude={"twin", "neighbours"}), up)


class Session:
    """``scene`` with the files that ``find`` finds.

    Parameters
    ----------
    good : resolution at which good readings are measured; a draft takes a quarter of it, fine ones twice as much.
    """

    def __init__(self, scene: Scene, find: Finder, *, store: Store | None = None, good: int = GOOD) -> None:
        self.scene, self.find, self.good = scene, find, good
        self.store = store or shared()

    @classmethod
    def on(
        cls, mesh: Mesh, scene: Scene, find: Finder | None = None, *, store: Store | None = None, good: int = GOOD
    ) -> Session:
        """A session on a mesh that was made here, whatever file the scene names."""

        def nowhere(name: str) -> Path:
            raise InputError(
                f"'{name}' cannot be found: this scene lies nowhere",
                where="files",
                remedy="Give a function that finds files",
            )

        out = cls(scene, find or nowhere, store=store, good=good)
        # In place of the properties of these names.
        out.__dict__ |= {"mesh": mesh, "_mesh_key": key_of("given", mesh.key)}
        out.store.put(out._mesh_key, mesh)
        return out

    def showing(self, scene: Scene) -> Session:
        """The same object with another chronicle; what was measured and made of it is shared."""
        out = copy(self)
        out.scene = scene
        return out

    # -- the object --------------------------------------------------------------------------------

    @cached_property
    def object_key(self) -> str:
        """See ``object_key``."""
        return object_key(self.scene.object, self.scene.setting.up)

    def _stamp(self, name: str) -> list[object]:
        path = self.find(name)
        try:
            about = path.stat()
        except OSError:
            return [str(path)]
        return [str(path), about.st_size, about.st_mtime_ns]

    @cached_property
    def _mesh_key(self) -> str:
        return key_of("prepared", self.object_key, self._stamp(self.scene.object.file))

    @property
    def ready(self) -> bool:
        """Whether the object is in memory already."""
        return self._mesh_key in self.store

    def prepare(self, progress: Progress | None = None) -> Mesh:
        """The mesh that is worked on; made once, with ``progress`` where it takes long."""
        mesh: Mesh = self.store.get(
            self._mesh_key, lambda: prepared(self.scene.object, self.scene.setting, self.find, progress)
        )
        return mesh

    @cached_property
    def mesh(self) -> Mesh:
        """The mesh that is worked on."""
        return self.prepare()

    @cached_property
    def around(self) -> Surroundings:
        """What stands around it."""
        document = self.scene.object
        files = [n.file for n in document.neighbours] + ([document.twin.file] if document.twin is not None else [])
        key = key_of(
            "around", self._mesh_key, document.model_dump(include={"twin", "neighbours"}),
            [self._stamp(f) for f in files],
            self.scene.setting.ground_mm, self.scene.setting.ground_hides,
        )  # fmt: skip
        found: Surroundings = self.store.get(
            key, lambda: surroundings(document, self.scene.setting, self.mesh, self.find)
        )
        return found

    @property
    def size(self) -> ObjectSize:
        """How large the object is, to two digits."""
        return ObjectSize(self.mesh.diagonal).rounded

    def facts(self) -> dict[str, Any]:
        """What inspection finds of the prepared mesh."""
        facts = inspection(self.mesh, unit_known=True)
        facts["file"] = self.scene.object.file.rsplit("/", 1)[-1]
        return facts

    def twin_facts(self) -> dict[str, Any] | None:
        """How the twin was found: distance, parts that match, share of misses; from a coarse look."""
        around, mesh = self.around, self.mesh
        if around.twin is None or mesh.uv is None:
            return None
        twin = around.twin

        def look() -> dict[str, Any]:
            texels = texels_of(mesh, self.measuring.size("draft"))
            found = carry(texels, twin, around.twin_reach_m)
            return {
                "reach_mm": float(f"{found.reach_m * 1000:.3g}"),
                "matched": len(found.matched),
                "parts": len(mesh.parts),
                "missed": texels.share(found.missed.astype(np.float32)),
            }

        facts: dict[str, Any] = self.store.get(key_of("twin facts", mesh.key, around.key), look)
        return facts

    def bare_glb(self) -> bytes:
        """The mesh alone, for the 3D view."""
        data: bytes = self.store.get(
            key_of("bare glb with outward", self.mesh.key),
            lambda: glb_bytes(self.mesh, name="object", outward=outward(self.mesh)),
        )
        return data

    def neighbour_glb(self, neighbour: Neighbour) -> bytes:
        """A neighbour where it stands, for the 3D view."""
        key = key_of("neighbour glb", self._mesh_key, neighbour.model_dump(), self._stamp(neighbour.file))
        data: bytes = self.store.get(
            key, lambda: glb_bytes(neighbour_mesh(neighbour, self.find, self.mesh), name="neighbour")
        )
        return data

    def picture_width(self, name: str) -> int:
        """Pixels across of a picture that the scene names."""
        return int(read_picture(self.find(name), name.rsplit("/", 1)[-1]).pixels.shape[1])

    # -- sizes -------------------------------------------------------------------------------------

    @property
    def most_pixels(self) -> int:
        """Pixels of all map sets together that can be worked on within the memory budget."""
        return max(1 << 20, self.store.budget // BYTES_PER_TEXEL)

    def fitted(self, resolution: int) -> int:
        """The resolution, or the next smaller one that memory holds."""
        return fitting(self.mesh, resolution, self.most_pixels)

    def sizes(self) -> list[int]:
        """Sizes of maps that can be looked at."""
        return [size for size in SIZES if self.fitted(size) == size or size == SIZES[0]]

    def texels(self, resolution: int) -> Texels:
        """The texels at a resolution, or the next smaller one that memory holds."""
        return texels_of(self.mesh, self.fitted(resolution))

    # -- readings ----------------------------------------------------------------------------------

    @property
    def measuring(self) -> Measuring:
        """Its readings where it stands now: the best there are, and better ones."""
        return Measuring(self.mesh, self.around, self.scene.setting, self.store, self.good)

    def measure(self, wished: str, say: Say) -> None:
        """Prepare the object, and measure its readings up to a quality; see ``Measuring.measure``."""
        say(0.005, "Preparing the object")
        self.measuring.measure(wished, say)

    # -- players of the chronicle ------------------------------------------------------------------

    def is_warm(self, resolution: int) -> bool:
        """Whether everything that does not depend on layers is in memory for this resolution, so that an answer is a
        matter of moments.
        """
        return self.ready and texels_key(self.mesh, self.fitted(resolution)) in self.store

    def chronicle(self, readings: Measured, resolution: int, *, weather: bool = False) -> Chronicle:
        """A player of the scene; resampled readings are kept. ``weather``: sun, rain and run-off too."""
        texels = self.texels(resolution)

        table = self.store.get(f"measured {readings.key} at {texels.size}", lambda: readings.at(texels).table)
        here = Measured(texels, readings.plan, table, readings.around)
        return Chronicle(texels, here, self.store, self.measuring.exposure(texels) if weather else None, self.find)

    def exact(self, resolution: int, *, progress: Progress | None = None, weather: bool | None = None) -> Chronicle:
        """A player with readings measured at this very resolution, for results that are written to files.

        Raises
        ------
        InputError : no UVs.
        """
        say = progress or (lambda share: None)
        asked = self.scene.asks_for_weather if weather is None else weather
        texels = texels_of(self.mesh, resolution)
        measured = measure(texels, progress=lambda s: say(0.8 * s if asked else s), around=self.around)
        exposure = None
        if asked:
            exposure = measure_exposure(texels, self.scene.setting, self.around, progress=lambda s: say(0.8 + 0.2 * s))
        return Chronicle(texels, measured, self.store, exposure, self.find)

    def empty_bases(self) -> list[str]:
        """What there is to say of bases that are map sets without a map."""
        return [
            f"{base.title}: it is a map set without a map in use, and plain grey stands in for it"
            for base in self.scene.bases
            if base.material.kind == "map_set" and not base.files
        ]

    def finished(
        self, resolution: int, *, until: str | None = None, say: Say | None = None, watch: Watcher | None = None
    ) -> tuple[Texels, Surface, list[str]]:
        """Measure (from disk where possible), play the chronicle and finish the surface at ``resolution``.

        Parameters
        ----------
        until : stop after this layer. say : called with a share 0..1 and a word; may raise ``Cancelled``.
        watch : shown every chapter as it is played, and the pile at the end.

        Returns
        -------
        the texels, the surface, and what layers have to say of themselves ("Rust: no iron is exposed ...").
        """
        tell = say or (lambda share, word: None)
        tell(0.0, "Preparing texels")
        chronicle = self.exact(resolution, progress=lambda s: tell(0.02 + 0.58 * s, "Measuring readings"))
        count = max(len(self.scene.layers), 1)
        notes = self.empty_bases()
        pile = chronicle.as_made(self.scene)
        for done, chapter in enumerate(chronicle.playing(self.scene, until=until), 1):
            tell(0.6 + 0.25 * done / count, "Playing the chronicle")
            if watch is not None:
                watch.chapter(chronicle, chapter, pile)
            pile = chapter.pile
            if chapter.note:
                notes.append(f"{chapter.layer.name}: {chapter.note[0].lower()}{chapter.note[1:]}")
        if watch is not None:
            watch.end(chronicle, pile)
        tell(0.86, "Finishing maps")
        return chronicle.texels, chronicle.finish(pile), notes


def layer_of(scene: Scene, name: str, where: str) -> str:
    """The id of the layer with this id or name.

    Raises
    ------
    InputError : there is none.
    """
    for layer in scene.layers:
        if name in (layer.id, layer.name):
            return layer.id
    remedy = (
        one_of([layer.id for layer in scene.layers], name) if scene.layers else "The scene has no layers: add one first"
    )
    raise InputError(f"there is no layer '{name}'", where=where, remedy=remedy)
