"""What a target says of itself."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, ClassVar

from limus.playing.chronicle import Surface
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.targets.masks import MaskAsked
from limus.targets.naming import Naming
from limus.targets.raster import Raster
from limus.targets.written import Written

if TYPE_CHECKING:
    from limus.targets.order import Order


@dataclass(frozen=True)
class Making:
    """What a target is told: the ``name`` of the scene, its ``mesh``, the ``order``; ``masks`` that a recipe takes in,
    by how they are written there.
    """

    name: str
    mesh: Mesh
    order: Order
    masks: Mapping[str, MaskAsked] = field(default_factory=dict)

    @property
    def naming(self) -> Naming:
        """Gives files their names."""
        return Naming(self.order.names, self.name, self.mesh)

    @property
    def bits(self) -> int:
        """Of each number."""
        return self.order.depth

    @property
    def size(self) -> int:
        """Pixels along a side of the largest maps."""
        return self.order.resolution


class Target:
    """A kind of delivery. A subclass in a file of this folder is found by itself; the interface and the command line
    follow from it.

    Attributes
    ----------
    kind : its name in documents and commands. title, about : for a person. sizes : pixels along a side of a map that
        may be asked for.
    depths : bits of each number in a map that may be asked for, the usual one first. takes : fields of an order that
        mean something to it. lacks : what it has no place for, in one sentence.
    """

    kind: ClassVar[str] = ""
    order: ClassVar[int] = 100
    title: ClassVar[str] = ""
    about: ClassVar[str] = ""
    sizes: ClassVar[tuple[int, ...]] = (256, 512, 1024, 2048, 4096, 8192, 16384)
    depths: ClassVar[tuple[int, ...]] = (8,)
    takes: ClassVar[frozenset[str]] = frozenset()
    lacks: ClassVar[str] = ""

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
