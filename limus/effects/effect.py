"""What every effect has in common."""

from __future__ import annotations

import zlib
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass, field, replace
from types import FunctionType
from typing import Any, ClassVar, Literal, cast

import numpy as np

from limus.common.deciding import decided
from limus.common.fields import Document
from limus.common.hashing import key_of
from limus.common.named_files import named_files
from limus.common.object_size import ONE_METRE, ObjectSize
from limus.effects.step import KNOWN_BY, looks_at
from limus.masks.recipe import Recipe
from limus.masks.source import Scope
from limus.materials.channels import Sheet
from limus.materials.substance import VEIL, Substance
from limus.patterns.cells import Cells, cells
from limus.patterns.fractures import Fractures, fractures
from limus.patterns.left_out import left_out
from limus.patterns.noise import fractal
from limus.patterns.sites import Sites, scattered_on
from limus.readings.catalogue import READINGS
from limus.strata.composite import Use
from limus.strata.pile import Coat, Marks, Pile
from limus.surface.blur import antialiased, blur
from limus.surface.contact import Contacts, across_contacts, contacts
from limus.surface.frame import Frame
from limus.surface.running import Descent, descent_of, run_down
from limus.surface.texels import Texels

Kind = Literal["deposit", "change", "loss"]
Group = Literal["Paint and its losses", "Metal", "Weather", "Growth", "Deposits", "Marks and stains", "Finish"]
Law = Literal["at once", "even", "root", "late", "years"]
#: A base of the store room, and the effects that come before.
ShownOn = tuple[str, tuple[str, ...]]


#: The most that a veil changes.
_WHOLE = 0.9995
#: Texels over which relief is evened out at most.
_WIDEST = 40.0


@dataclass(frozen=True)
class Event:
    """One layer as it happens.

    Attributes
    ----------
    layer : its id. name : its name. pile : the surface before. mask : (n,) float32 0..1, the recipe; mask_key its
        hash. strength : 0..1.
    reads : what the effect declares that it looks at. uses : per voice, for coats that the effect leaves.
    """

    layer: str
    name: str
    pile: Pile
    mask: np.ndarray
    mask_key: str
    strength: float
    scope: Scope
    reads: tuple[str, ...] = ()
    uses: Mapping[str, Use] = field(default_factory=dict)

    @property
    def texels(self) -> Texels:
        """Of the surface; the same before and after every layer."""
        return self.pile.texels

    @property
    def marks(self) -> Marks:
        """Joints and pieces of the base."""
        return self.pile.marks

    @property
    def texel_mm(self) -> float:
        """Typical side of a texel."""
        return self.texels.texel_mm

    def step(self, function: Callable[..., Any], *args: Any) -> Any:
        """What ``function`` gives, kept between evaluations.

        Parameters
        ----------
        function : a method of the effect that takes the event (``self._share``), or a function that does. Whatever it
            looks at of the effect and of this event is in the key, see ``effects.step``. args : numbers and words that
            follow the event.
        """
        effect = getattr(function, "__self__", None)
        plain = getattr(function, "__func__", function)
        looked = looks_at(cast(FunctionType, plain), None if effect is None else type(effect), Event)
        fields = {name: getattr(effect, name) for name in looked.fields}
        known = {name: KNOWN_BY[name](self) for name in looked.event}
        key = key_of(
            "step", plain.__module__, plain.__qualname__, self.scope.place.key_for(self.reads), self.scope.seed,
            self.layer, fields, known, args,
        )  # fmt: skip
        return self.scope.keep.get(key, lambda: function(self, *args))

    def seed(self, salt: int) -> int:
        """A seed of this layer's own; ``salt`` tells apart what one effect draws."""
        return self.scope.seed * 7919 + salt + zlib.crc32(self.layer.encode())

    def noise(
        self, size_mm: float, *, octaves: int = 4, gain: float = 0.5, salt: int = 0, tall: float = 1.0
    ) -> np.ndarray:
        """(n,) float32, mean 0 and deviation 1, fading below two texels; kept between evaluations.

        ``tall``: how many times as high as wide its shapes are, for what hangs or runs down.
        """
        seed = self.seed(salt)
        texels = self.texels
        key = key_of("noise", texels.key, size_mm, octaves, gain, tall, seed)

        def make() -> np.ndarray:
            points = texels.position if tall == 1.0 else texels.position * np.array([1.0, 1.0 / tall, 1.0], np.float32)
            return fractal(points, size_mm, octaves=octaves, gain=gain, seed=seed, texel_mm=texels.texel_mm)

        return self.scope.keep.get(key, make)  # type: ignore[no-any-return]

    def left_out(self, size_mm: float, *, octaves: int = 4, gain: float = 0.5) -> float:
        """Deviation 0..1 of what ``noise`` of these settings leaves out here, for ``left_out.clipped``."""
        return left_out(size_mm, self.texel_mm, octaves=octaves, gain=gain)

    def fractures(self, size_mm: float, *, bend: float = 0.05, salt: int = 0) -> Fractures:
        """Pieces that something brittle breaks into; kept between evaluations."""
        seed, texels = self.seed(salt), self.texels
        key = key_of("fractures", texels.key, size_mm, bend, seed)
        return self.scope.keep.get(  # type: ignore[no-any-return]
            key, lambda: fractures(texels.position, size_mm, bend=bend, seed=seed, texel_mm=texels.texel_mm)
        )

    def cells(self, size_mm: float, *, salt: int = 0, jitter: float = 1.0, edges: bool = False) -> Cells:
        """Cells of this width; kept between evaluations."""
        seed, texels = self.seed(salt), self.texels
        key = key_of("cells", texels.key, size_mm, jitter, edges, seed)
        return self.scope.keep.get(  # type: ignore[no-any-return]
            key, lambda: cells(texels.position, size_mm, jitter=jitter, seed=seed, edges=edges)
        )

    def sites(self, apart_mm: float, *, salt: int = 0, group: np.ndarray | None = None) -> Sites:
        """Points scattered over the surface, no two nearer than ``apart_mm``; kept between evaluations. ``group``
        (T,) as in ``scattered_on``.
        """
        mesh, seed = self.texels.mesh, self.seed(salt) & 0xFFFFFF
        key = key_of("sites", mesh.key, apart_mm, seed, group is not None)
        return self.scope.keep.get(key, lambda: scattered_on(mesh, apart_mm, seed=seed, group=group))  # type: ignore[no-any-return]

    def run_down(self, source: np.ndarray, length_mm: float, *, upwards: bool = False) -> np.ndarray:
        """(n,) float32: a field carried down the surface (or up it), see ``surface.running``."""
        texels = self.texels

        def descent() -> Descent:
            return self.scope.keep.get(key_of("descent", texels.key), lambda: descent_of(texels))  # type: ignore[no-any-return]

        return run_down(texels, source, length_mm, descent, upwards=upwards)

    def across_contacts(self, field: np.ndarray, reach_mm: float) -> np.ndarray:
        """(n,) float32: what a field is on other parts within about ``reach_mm`` (no less than two and a half
        texels).
        """
        texels = self.texels

        def carried() -> np.ndarray:
            reach = max(reach_mm, 2.5 * texels.spacing_mm)
            near: Contacts = self.scope.keep.get(key_of("contacts", texels.key, reach), lambda: contacts(texels, reach))
            return across_contacts(texels, np.ascontiguousarray(field, np.float32), near)

        return texels.far("across contacts", carried)

    def to_level(self, over_mm: float) -> np.ndarray:
        """(n,) float32 mm that would bring the relief before this layer to the level of its surroundings, within about
        ``over_mm`` (between two texels and ``_WIDEST``); kept while settings of the layer are dragged.
        """
        return self.step(_to_level, over_mm)  # type: ignore[no-any-return]

    def porosity(self) -> np.ndarray:
        """(n,) float32 0..1: share of pores of what shows before this layer."""
        return self.step(_porosity)  # type: ignore[no-any-return]

    def visible(self) -> dict[str, np.ndarray]:
        """The sheet of what shows before this layer, see ``Pile.visible``; shared with whoever else asks."""
        return self.scope.keep.get(key_of("visible", self.pile.key), self.pile.visible)  # type: ignore[no-any-return]

    def antialiased(self, field: np.ndarray, steps: int = 1) -> np.ndarray:
        """(n,) float32: a field with hard borders, softened by about a texel so that they do not show as stairs."""
        return antialiased(self.texels, field, steps)

    def nothing(self, note: str = "", frame: Frame | None = None) -> Outcome:
        """It does nothing here; ``note`` says why, and what to do."""
        return Outcome(self.pile, np.zeros(len(self.mask), np.float32), note, frame)

    def deposit(self, substance: Substance, share: np.ndarray, sheet: Sheet) -> Outcome:
        """A coat that covers the share (n,) 0..1 of what is below, and nothing else."""
        coat = self.coat(self.name, substance, film_um(share, substance.hide_um), sheet)
        return Outcome(self.pile.with_coat(coat), share)

    def veil(self, share: np.ndarray, sheet: Sheet, name: str = "", uses: Mapping[str, Use] | None = None) -> Coat:
        """A coat that is nothing itself and changes the gloss or the tone of the share (n,) 0..1 of what is below.
        ``uses``: where its voices are not used as the layer says.
        """
        film = -np.log1p(-np.minimum(share, _WHOLE))
        named = f"{self.name}: {name}" if name else self.name
        return Coat(self.layer, named, VEIL, film, sheet, self.uses if uses is None else uses)

    def coat(self, name: str, substance: Substance, thickness: np.ndarray, sheet: Sheet, piece: str = "") -> Coat:
        """A coat of this layer, with its say in every voice; ``piece`` where the effect leaves more than one."""
        thickness = np.ascontiguousarray(thickness, np.float32)
        return Coat(self.layer, name, substance, thickness, sheet, self.uses, piece)


def _to_level(event: Event, over_mm: float) -> np.ndarray:
    texels, relief = event.texels, event.pile.relief()
    reach = float(np.clip(over_mm, 2.0 * texels.spacing_mm, _WIDEST * texels.whole_mm))
    return np.asarray(blur(texels, relief, reach) - relief, np.float32)


def _porosity(event: Event) -> np.ndarray:
    return event.pile.porosity()


@dataclass(frozen=True)
class Outcome:
    """What the layer did: the new pile, (n,) float32 where it shows 0..1, a reason when it did nothing, and the frame
    it lies in, if any.
    """

    pile: Pile
    shown: np.ndarray
    note: str = ""
    frame: Frame | None = None


class Effect(Document):
    """Parameters of one effect, and what it does.

    ``family`` is the kind of event; ``summary`` one sentence for the picker; ``default_name`` the name of a new layer.
    """

    kind: str = ""
    family: ClassVar[Kind] = "deposit"
    title: ClassVar[str] = ""
    summary: ClassVar[str] = ""
    #: What it looks at besides the pile and its mask, see ``readings.reading.READS``.
    reads: ClassVar[tuple[str, ...]] = ()
    #: Families of substances it acts on where they are exposed; empty: any.
    acts_on: ClassVar[tuple[str, ...]] = ()
    #: Families of what later effects act on that it lays, see ``acts_on``.
    brings: ClassVar[tuple[str, ...]] = ()
    #: Families of bases for which a new document begins with it; empty: all of them.
    suits: ClassVar[tuple[str, ...]] = ()
    #: The coats it leaves, where it leaves more than one: piece -> title.
    pieces: ClassVar[dict[str, str]] = {}
    #: On what it can be shown, in the guide and in tests: it does nothing to every other thing.
    shown_on: ClassVar[ShownOn] = ("cast iron", ())
    #: When somebody would take it, in a sentence or two.
    when: ClassVar[str] = ""
    #: Where it stands in the picker.
    group: ClassVar[Group] = "Deposits"
    #: What can be read off a photograph (share, size, ragged, clustered, color) -> the field that it sets; and what is
    #: set besides, so that they hold.
    photographed: ClassVar[dict[str, str]] = {}
    photographed_with: ClassVar[dict[str, Any]] = {}
    #: Pictures dropped on the surface become a layer of it.
    takes_pictures: ClassVar[bool] = False
    #: Whether a new document begins with it where it suits the base.
    begins: ClassVar[bool] = False
    #: How it grows with the years, see ``ageing``.
    law: ClassVar[Law] = "at once"
    #: Raised when the same settings come out looking different, see ``limus.document.editions``.
    edition: ClassVar[int] = 1
    #: Where its figures come from.
    figures: ClassVar[str] = "Common practice, no source"
    #: What to do where it can hardly be seen, in words that follow a colon.
    louder: ClassVar[str] = "raise its strength and amounts, or widen its place"

    @classmethod
    def default_where(cls, size: ObjectSize = ONE_METRE) -> Recipe:
        """A place that makes sense on any object of this size."""
        return Recipe()

    @classmethod
    def fitted(cls, size: ObjectSize) -> Effect:
        """The effect with defaults that suit the object's size."""
        return cls.model_validate(size.fields(cls))

    @classmethod
    def on_ground(cls, families: Collection[str]) -> dict[str, Any]:
        """Fields that a new layer has otherwise where the object is made of these families of substances."""
        return {}

    @property
    def files(self) -> tuple[str, ...]:
        """Names of the files it reads."""
        return ()

    @property
    def files_by_field(self) -> dict[str, str]:
        """The same by the path of the field that names each."""
        return {field: name for field, name in named_files(self).items() if name in self.files}

    def ranges(self, event: Event) -> dict[str, tuple[float, float]]:
        """Field -> where it does something on this very surface, for its slider; those that hang on no surface are left
        out.
        """
        return {}

    @staticmethod
    def heights(event: Event) -> tuple[float, float]:
        """mm above the ground from which the object reaches to which; for fields that are such a height, of effects
        that read "setting.ground_mm".
        """

        def make() -> tuple[float, float]:
            height = READINGS["height"].value(event.scope.place, 0.0)
            return decided(  # type: ignore[no-any-return]
                "heights", lambda: (float(height.min(initial=np.inf)), float(height.max(initial=-np.inf)))
            )

        place = event.scope.place
        found: tuple[float, float] = event.scope.keep.get(
            key_of("heights", place.key_for(("setting.ground_mm",))), make
        )
        return found

    def portable(self) -> tuple[Effect, str]:
        """The effect as it can go to another object of another project, naming no file, in use or not; and what was
        left behind, in words, or "".
        """
        said = "its picture belongs to its object; choose one again where it is used" if self.files else ""
        return self.model_copy(update=dict.fromkeys(named_files(self), "")), said

    def apply(self, event: Event) -> Outcome:
        """Play the event. Never changes arrays of ``event.pile``."""
        raise NotImplementedError


def film_um(share: np.ndarray, hide_um: float) -> np.ndarray:
    """(n,) float32 micrometres: the film that covers the share (n,) 0..1 of what is below."""
    return (-np.log1p(-np.minimum(share, 0.9999)) * hide_um).astype(np.float32)


def ramp(field: np.ndarray, low: float, high: float) -> np.ndarray:
    """(n,) float32: straight from 0 at ``low`` to 1 at ``high``, which may lie below."""
    return np.clip((field - low) * (1.0 / (high - low)), 0.0, 1.0).astype(np.float32)


def raised(pile: Pile, by_mm: np.ndarray) -> Pile:
    """The pile with its skin raised (or pressed in, where negative)."""
    return replace(pile, skin=pile.skin + by_mm.astype(np.float32))
