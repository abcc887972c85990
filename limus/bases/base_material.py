"""What every base material has in common."""

from __future__ import annotations

from typing import Any, ClassVar

from limus.bases.ground import Ground, Skin
from limus.bases.placing import Placing
from limus.common.fields import Document, colour, number
from limus.materials.substance import Substance

#: Fields of a placing that mean something for pictures only.
_OF_PICTURES = {
    "size_cm", "stretch", "broken", "turned", "turn_step_deg", "scaled", "scale_low", "scale_high", "patch", "blend",
}  # fmt: skip


class BaseMaterial(Document):
    """A substance as it comes: its fields, and how it looks at points of a surface.

    ``solid``: it goes through the whole body, so it is evaluated at points in space; else it is laid in a plane.
    ``tile``: it is made of
    pictures, whose width is the size in its placing. ``shown_mm``: the width of the sample on the card.
    """

    kind: str = ""
    title: ClassVar[str] = ""
    summary: ClassVar[str] = ""
    substance: ClassVar[Substance]
    #: Raised when the same settings come out looking different, see ``limus.document.editions``.
    edition: ClassVar[int] = 1
    solid: ClassVar[bool] = True
    tile: ClassVar[bool] = False
    #: It has a direction, along which it is laid in each part.
    grained: ClassVar[bool] = False

    def lay(self, ground: Ground) -> Skin:
        """The base at the points of ``ground``."""
        raise NotImplementedError

    @classmethod
    def placed_by(cls) -> list[str]:
        """Fields of its placing that mean something for it: what goes through the body is not laid from sides, only
        pictures have a tile, and only pictures and what is laid in pieces can repeat.
        """
        idle = set() if cls.grained else {"grain"}
        if cls.solid:
            idle |= {"way", *_OF_PICTURES}
        elif cls.tile:
            idle |= {"grain", "scale"}
        else:
            idle |= {"grain", *_OF_PICTURES}
        return [name for name in Placing.model_fields if name not in idle]

    @property
    def is_solid(self) -> bool:
        """Whether it goes through the body as it is set."""
        return self.solid

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files it reads."""
        return ()

    @property
    def made_of(self) -> Substance:
        """The substance as it is set."""
        return self.substance


def colour_field(
    default: tuple[float, float, float], title: str = "Colour", about: str = "Its own colour, linear"
) -> Any:
    """A colour of a base."""
    return colour(default, title, about)


def roughness_field(default: float) -> Any:
    """How matt it is on the whole."""
    return number(default, "Roughness", "", 0.02, 1.0, about="0 mirror, 1 matt; it varies about this")


def uneven_field(default: float = 1.0) -> Any:
    """How uneven it is."""
    return number(default, "Unevenness", "", 0.0, 3.0, (0.0, 2.0), "Of tone and gloss, from the whole to the grain")
