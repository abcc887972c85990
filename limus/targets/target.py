"""What a target says of itself."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, ClassVar

import numpy as np

from limus.playing.chronicle import Surface
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.targets.masks import MaskAsked
from limus.targets.naming import Naming
from limus.targets.raster import Raster
from limus.targets.written import Written, file_stem

if TYPE_CHECKING:
    from limus.targets.order import Order


@dataclass(frozen=True)
class Making:
    """What a target is told: the ``name`` of the scene, its ``mesh``, the ``order``; ``masks`` that it takes in
    itself, by how they are written there, and once the scene is played what was ``taken`` of them: (n,) float32 0..1.
    ``condition``: the snapshot that is made, where there are several.
    """

    name: str
    mesh: Mesh
    order: Order
    masks: Mapping[str, MaskAsked] = field(default_factory=dict)
    taken: Mapping[MaskAsked, np.ndarray] = field(default_factory=dict)
    condition: str = ""

    @property
    def naming(self) -> Naming:
        """Gives files their names."""
        return Naming(self.order.names, self.name, self.mesh, file_stem(self.condition) if self.condition else "")

    @property
    def bits(self) -> int:
        """Of each number."""
        return self.order.depth

    @property
    def size(self) -> int:
        """Pixels along a side of the largest maps."""
        return self.order.resolution


@dataclass(frozen=True)
class Condition:
    """The maps of one snapshot: ``rasters`` and the files ``made`` of them, in their order."""

    making: Making
    texels: Texels
    surface: Surface
    rasters: Sequence[Raster]
    made: Sequence[Written]


class Target:
    """A kind of delivery. A subclass in a file of this folder is found by itself; the interface and the command line
    follow from it.

    Attributes
    ----------
    kind : its name in documents and commands. title, about : for a person. sizes : pixels along a side of a map that
        may be asked for.
    depths : bits of each number in a map that may be asked for, the usual one first. takes : fields of an order that
        mean something to it. lacks : what it has no place for, in one sentence.
    masks_within : so many masks go into its own files at most; 0: they have files of their own.
    """

    kind: ClassVar[str] = ""
    order: ClassVar[int] = 100
    title: ClassVar[str] = ""
    about: ClassVar[str] = ""
    sizes: ClassVar[tuple[int, ...]] = (256, 512, 1024, 2048, 4096, 8192, 16384)
    depths: ClassVar[tuple[int, ...]] = (8,)
    takes: ClassVar[frozenset[str]] = frozenset()
    lacks: ClassVar[str] = ""
    masks_within: ClassVar[int] = 0

    def names(self, making: Making, used: Collection[str]) -> list[str]:
        """Names of the files, in the order in which they are written; ``used`` names of the channels that something is
        in.
        """
        raise NotImplementedError

    def rasters(self, making: Making, texels: Texels, surface: Surface, slack: float = 0.0) -> list[Raster]:
        """The maps that it is made of.

        Parameters
        ----------
        texels, surface : tell which channels are in use, in which ranges and what their means are. slack : by what
            share of its span a range is widened on both sides, where what is written is finer than ``surface``.
        """
        raise NotImplementedError

    def files(
        self, making: Making, texels: Texels, surface: Surface, rasters: Sequence[Raster], made: Sequence[Written]
    ) -> tuple[list[Written], list[str]]:
        """The files of the delivery, and what there is to say of them.

        ``made`` are the maps, in the order of ``rasters`` and of their files; ``texels`` and ``surface`` those that
        ranges and means are taken from.
        """
        raise NotImplementedError

    def looked_at(self, making: Making, file: str) -> str:
        """The map that stands for one of its files where that is looked at before it is written."""
        return file

    def files_of(self, conditions: Sequence[Condition]) -> tuple[list[Written], list[str]]:
        """The files of a delivery that holds several snapshots, and what there is to say of them. Only of targets that
        take ``snapshots``.
        """
        raise NotImplementedError
