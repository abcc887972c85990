"""What a target says of itself."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import ClassVar

from limus.playing.chronicle import Surface
from limus.surface.mesh import Mesh
from limus.surface.texels import Texels
from limus.targets.raster import Raster
from limus.targets.written import Written


class Target:
    """A kind of delivery. A subclass in a file of this folder is found by itself; the interface and the command line
    follow from it.

    Attributes
    ----------
    kind : its name in documents and commands. title, about : for a person. sizes : pixels along a side of a map that
        may be asked for.
    depths : bits of each number in a map that may be asked for, the usual one first.
    """

    kind: ClassVar[str] = ""
    order: ClassVar[int] = 100
    title: ClassVar[str] = ""
    about: ClassVar[str] = ""
    sizes: ClassVar[tuple[int, ...]] = (256, 512, 1024, 2048, 4096, 8192, 16384)
    depths: ClassVar[tuple[int, ...]] = (8,)

    def names(self, name: str, mesh: Mesh, used: Collection[str]) -> list[str]:
        """Names of the files, in the order in which they are written.

        Parameters
        ----------
        name : of the scene. used : names of the channels that something is in.
        """
        raise NotImplementedError

    def rasters(
        self, name: str, mesh: Mesh, texels: Texels, surface: Surface, bits: int, slack: float = 0.0
    ) -> list[Raster]:
        """The maps that it is made of.

        Parameters
        ----------
        texels, surface : tell which channels are in use, in which ranges and what their means are. slack : by what
            share of its span a range is widened on both sides, where what is written is finer than ``surface``.
        """
        raise NotImplementedError

    def files(
        self, name: str, mesh: Mesh, size: int, texels: Texels, surface: Surface, rasters: Sequence[Raster],
        made: Sequence[Written],
    ) -> tuple[list[Written], list[str]]:  # fmt: skip
        """The files of the delivery, and what there is to say of them.

        ``made`` are the maps of ``size`` pixels along each side, in the order of ``rasters`` and of their files;
        ``texels`` and ``surface`` those that ranges and means are taken from.
        """
        raise NotImplementedError
