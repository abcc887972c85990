"""Playing the chronicle: from a scene to the finished surface.

Every step is keyed by a hash of what it depends on. Changing layer k therefore plays k and what comes after it again
and nothing before; masks and noises of later layers are found in the cache unless they look at what changed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Protocol

import numpy as np

from limus.common.blending import MODES
from limus.common.colour import to_srgb
from limus.common.deciding import decided
from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.store import Store
from limus.document.scene import Layer, Scene
from limus.effects.effect import Event
from limus.masks.hand.vertex_paint import painted_colours
from limus.masks.recipe import Recipe
from limus.masks.source import Scope
from limus.materials.channels import CHANNELS, VOICES, Sheet, spread
from limus.materials.substance import Substance
from limus.playing.ageing import aged
from limus.playing.as_made import as_made
from limus.readings.exposure import Exposure
from limus.readings.measured import Measured
from limus.readings.reading import Place
from limus.strata.composite import Use
from limus.strata.pile import Coat, Pile
from limus.surface.base_normal import base_normal
from limus.surface.frame import Frame
from limus.surface.gradient import normal_from_relief
from limus.surface.texels import Texels

#: A veil keeps what showed before a loss, in the channels that the loss may not touch. It has no thickness of its own.
VEIL = Substance("veil", hide_um=1.0, clear=True)
#: Reach of the ambient occlusion that is delivered with the maps, as a share of the object's diagonal.
OCCLUSION_SHARE = 0.06


def placed(places: list[Recipe], scope: Scope) -> np.ndarray:
    """(n,) float32 0..1: where all of the recipes are white."""
    out = places[0].value(scope)
    for where in places[1:]:
        out = out * where.value(scope)
    return out


def place_key(places: list[Recipe], scope: Scope) -> str:
    """Hash of everything that ``placed`` depends on."""
    keys = [where.key(scope) for where in places]
    return keys[0] if len(keys) == 1 else key_of("places", keys)


@dataclass(frozen=True)
class Chapter:
    """What one layer did.

    ``mask`` (n,) is its recipe; ``shown`` (n,) where it showed when it happened; ``coverage`` the area-weighted mean
    of ``shown``, ``placed`` that of the mask;
    ``pile`` the surface after it; ``note`` why it did nothing, or ""; ``frame`` what it can be taken hold of by;
    ``speaks`` the voices that it changes something in when each is fully on; ``ranges`` where its fields do something
    here, see ``Effect.ranges``.
    """

    layer: Layer
    mask: np.ndarray
    shown: np.ndarray
    coverage: float
    pile: Pile
    note: str
    frame: Frame | None = None
    placed: float = 0.0
    speaks: tuple[str, ...] = ()
    ranges: Mapping[str, tuple[float, float]] = field(default_factory=dict)


@dataclass(frozen=True)
class Surface:
    """The finished surface: ``sheet`` of the channels in use, ``relief`` (n,) mm, ``normal`` (n, 3) tangent space,
    ``occlusion`` (n,) 0 open.
    """

    sheet: Sheet
    relief: np.ndarray
    normal: np.ndarray
    occlusion: np.ndarray

    def channel(self, name: str) -> np.ndarray:
        """(n,) or (n, 3) float32 of any channel; its default where nothing uses it."""
        channel = CHANNELS[name]
        return spread(self.sheet.get(name, channel.plain()), channel, len(self.relief))


class LayerMasks:
    """The masks of a scene's layers, each as it is at its own moment; for recipes that read one another."""

    def __init__(self, chronicle: Chronicle, scene: Scene) -> None:
        self.chronicle, self.scene = chronicle, scene
        #: Made once for all layers of the scene.
        self.place, self.made = chronicle.place(scene), chronicle.as_made(scene)
        self._scopes: dict[str, Scope] = {}
        self._chapters: dict[str, Chapter | None] = {}

    def scope(self, layer: Layer) -> Scope:
        """What the recipe of ``layer`` may look at; earlier layers are played only where it looks back at them."""
        found = self._scopes.get(layer.id)
        if found is None:
            before = (
                self.chronicle.before(self.scene, layer.id)
                if any(where.looks_back for where in self.scene.places(layer))
                else None
            )
            found = self._scopes[layer.id] = self.chronicle.scope(self.scene, before, self)
        return found

    def _layer(self, name: str) -> Layer:
        layer = self.scene.layer(name)
        if layer is None:
            raise InputError(f"there is no layer '{name}'", where="source.layer", remedy="Choose another layer")
        return layer

    def value(self, name: str) -> np.ndarray:
        """(n,) float32 0..1."""
        layer = self._layer(name)
        return placed(self.scene.places(layer), self.scope(layer))

    def key(self, name: str) -> str:
        """Hash of everything that mask depends on."""
        layer = self._layer(name)
        return place_key(self.scene.places(layer), self.scope(layer))

    def _chapter(self, name: str) -> Chapter | None:
        """What a layer did, None where it is off; earlier layers are played, through the cache."""
        if name not in self._chapters:
            plays = self.scene.plays(self._layer(name))
            self._chapters[name] = self.chronicle.chapter_of(self.scene, name) if plays else None
        return self._chapters[name]

    def acted(self, name: str) -> np.ndarray:
        """(n,) float32 0..1: where a layer showed when it happened; nowhere where it is off."""
        chapter = self._chapter(name)
        return np.zeros(len(self.chronicle.texels), np.float32) if chapter is None else chapter.shown

    def acted_key(self, name: str) -> str:
        """Hash of everything that depends on."""
        chapter = self._chapter(name)
        return "off" if chapter is None else chapter.pile.key


def voices_of(layer: Layer, before: Pile, after: Pile) -> tuple[str, ...]:
    """Voices that a layer changes something in: those of the coats it left, of what it did to the base and, where it
    took something away, of all that was there; in the order of the registry.
    """
    if after is before:
        return ()
    was = {(coat.id, coat.name): coat for coat in before.coats}
    names: set[str] = set()
    for coat in after.coats:
        old = was.get((coat.id, coat.name))
        kept = old.sheet if old is not None else {}
        names.update(name for name, value in coat.sheet.items() if kept.get(name) is not value)
        if coat.alters is not None and (old is None or old.alters is not coat.alters):
            names.update(coat.alters.speaks)
    if layer.effect.family == "loss":
        names.update(before.used)
    names.update(name for name, value in after.base.items() if before.base.get(name) is not value)
    voices = {CHANNELS[name].voice for name in names}
    solid = any(c.layer == layer.id and c.substance.family != "veil" for c in after.coats)
    if solid or layer.effect.family == "loss" or after.skin is not before.skin:
        voices.add("relief")
    return tuple(voice for voice in VOICES if voice in voices)


#: Layers that cover more than this are seen.
SCARCE = 0.075
#: Mean change over the fiftieth part of the surface where a layer does most that an eye finds without being told
#: (common practice, no source): steps of 255 in encoded colour, and of any other channel between 0 and 1; heights
#: against the width of a texel.
_COLOUR, _OTHER, _HEIGHT = 4.0, 0.03, 0.02


def hardly_seen(before: Pile, after: Pile, shown: np.ndarray) -> bool:
    """Whether nobody would find what a layer changed, looked at where it does most."""
    count = max(64, len(shown) // 50)
    rows = np.argpartition(shown, -min(count, len(shown)))[-min(count, len(shown)) :]
    rows = np.sort(rows[:: max(1, len(rows) // 1500)])
    raised = after.relief()[rows] - before.relief()[rows]
    if float(np.abs(raised).mean()) > _HEIGHT * after.texels.texel_mm:
        return False
    one, two = before.only(rows).visible(), after.only(rows).visible()
    for name in {*one, *two}:
        channel = CHANNELS[name]
        a, b = (np.asarray(sheet.get(name, channel.default), np.float32) for sheet in (one, two))
        if channel.colour:
            if float(np.abs(to_srgb(a) - to_srgb(b)).mean()) * 255.0 > _COLOUR:
                return False
        elif channel.high <= 1.0 and float(np.abs(a - b).mean()) > _OTHER:
            return False
    return True


class Chronicle:
    """Plays scenes over one object at one resolution, with a cache that may be shared. ``files`` finds what scenes
    name.
    """

    def __init__(
        self,
        texels: Texels,
        measured: Measured,
        cache: Store,
        exposure: Exposure | None = None,
        files: Callable[[str], Path] | None = None,
    ) -> None:
        self.texels = texels
        self.files = files
        self.measured = measured.at(texels)
        self.exposure = exposure.at(texels) if exposure is not None else None
        self.cache = cache

    def place(self, scene: Scene) -> Place:
        """What readings may look at."""
        colours, key = None, ""
        if scene.vertex_paint:
            key = key_of("vertex paint", self.texels.mesh.key, [entry.model_dump() for entry in scene.vertex_paint])
            colours = self.cache.get(key, lambda: painted_colours(self.texels.mesh, scene.vertex_paint, self.files))
        return Place(self.texels, self.measured, scene.setting, self.exposure, colours, key)

    def scope(self, scene: Scene, pile: Pile | None, masks: LayerMasks | None = None) -> Scope:
        """What sources may look at, at the moment when ``pile`` is the surface."""
        masks = masks or LayerMasks(self, scene)
        return Scope(masks.place, self.cache, scene.seed, pile, masks.made, masks, self.files)

    def before(self, scene: Scene, layer_id: str) -> Pile:
        """The surface before a layer happens."""
        scene = aged(scene)
        masks = LayerMasks(self, scene)
        pile = masks.made
        for layer in scene.layers:
            if layer.id == layer_id:
                break
            if scene.plays(layer):
                pile = self._chapter(scene, layer, pile, masks).pile
        return pile

    def chapter_of(self, scene: Scene, layer_id: str) -> Chapter | None:
        """What a layer did; None where it is off or does not exist."""
        masks = LayerMasks(self, scene)
        pile = masks.made
        for layer in scene.layers:
            if scene.plays(layer):
                chapter = self._chapter(scene, layer, pile, masks)
                if layer.id == layer_id:
                    return chapter
                pile = chapter.pile
        return None

    def as_made(self, scene: Scene) -> Pile:
        """The bare object before anything happened."""
        return as_made(self.place(scene), self.cache, scene, self.files)

    def play(self, scene: Scene, *, until: str | None = None, check: Callable[[], None] | None = None) -> list[Chapter]:
        """Play all layers that are on, oldest first.

        Parameters
        ----------
        until : stop after the layer with this id. check : called between layers; may raise ``Cancelled``.

        Returns
        -------
        one chapter per layer played.
        """
        return list(self.playing(scene, until=until, check=check))

    def playing(
        self, scene: Scene, *, until: str | None = None, check: Callable[[], None] | None = None
    ) -> Iterator[Chapter]:
        """``play`` one layer at a time, for those who need only the last: what is not looked at any more can be let
        go.
        """
        scene = aged(scene)
        masks = LayerMasks(self, scene)
        pile = masks.made
        for layer in scene.layers:
            if check is not None:
                check()
            if scene.plays(layer):
                chapter = self._chapter(scene, layer, pile, masks)
                pile = chapter.pile
                yield chapter
            if layer.id == until:
                break

    def _chapter(self, scene: Scene, layer: Layer, before: Pile, masks: LayerMasks) -> Chapter:
        scope = self.scope(scene, before, masks)
        looked_at = scope.place.key_for(layer.effect.reads)
        places, strength = scene.places(layer), scene.strength_of(layer)
        where = place_key(places, scope)
        standing = {"where", "since", "fixed", "episode", "strength"}
        key = key_of("chapter", before.key, looked_at, scene.seed, where, strength, layer.model_dump(exclude=standing))
        chapter: Chapter = self.cache.get(key, lambda: self._happen(layer, before, scope, places, strength, where, key))
        # The key leaves out what makes no difference (a muted line): the layer is the one that was asked for.
        return chapter if chapter.layer is layer else replace(chapter, layer=layer)

    def _happen(
        self, layer: Layer, before: Pile, scope: Scope, places: list[Recipe], strength: float, where: str, key: str
    ) -> Chapter:
        mask = placed(places, scope)
        uses: dict[str, Use] = {
            voice: Use(use.weight, MODES[use.blend]) for voice, use in layer.channels.items() if voice != "relief"
        }
        loss = layer.effect.family == "loss"
        reads = layer.effect.reads
        event = Event(layer.id, layer.name, before, mask, where, strength, scope, reads, {} if loss else uses)
        outcome = layer.effect.apply(event)
        pile = outcome.pile
        speaks = voices_of(layer, before, pile)
        quiet = {voice: Use(1.0 - use.weight) for voice, use in uses.items() if use.weight < 1}
        if loss and quiet and pile is not before:
            # Opaque wherever something was lost: what showed there goes on showing, to the share that the voice is
            # quiet.
            thick = np.where(outcome.shown > 0, np.float32(20.0), np.float32(0.0))
            kept = {name: value for name, value in before.visible().items() if CHANNELS[name].voice in quiet}
            pile = pile.with_coat(Coat(layer.id, f"{layer.name}: kept", VEIL, thick, kept, quiet))
        relief = layer.channels.get("relief")
        if relief is not None and relief.weight < 1 and pile is not before:
            pile = replace(pile, skin=pile.skin + (relief.weight - 1.0) * (pile.relief() - before.relief()))
        pile = replace(pile, key=key)
        for array in (
            outcome.shown,
            pile.skin,
            *(c.thickness for c in pile.coats),
            *(v for c in pile.coats for v in c.sheet.values()),
        ):
            array.setflags(write=False)
        coverage = self.texels.share(outcome.shown)
        note = decided(
            "note", lambda: outcome.note or self._found(layer, strength, mask, before, pile, outcome.shown, coverage)
        )
        return Chapter(
            layer,
            mask,
            outcome.shown,
            coverage,
            pile,
            note,
            outcome.frame,
            self.texels.share(mask),
            speaks,
            layer.effect.ranges(event),
        )

    def _found(
        self,
        layer: Layer,
        strength: float,
        mask: np.ndarray,
        before: Pile,
        after: Pile,
        shown: np.ndarray,
        coverage: float,
    ) -> str:
        """Why it can hardly be seen, or ""."""
        if strength == 0:
            return "Its strength is 0" if layer.strength == 0 else "The strength of its episode is 0"
        if float(mask.max(initial=0.0)) < 0.004:
            return "Its mask is black everywhere"
        if coverage < 1e-6:
            return f"It changes nothing here: {layer.effect.louder}"
        if coverage < SCARCE and hardly_seen(before, after, shown):
            return f"Hardly to be seen on an object of this size: {layer.effect.louder}"
        return ""

    def finish(self, pile: Pile) -> Surface:
        """What shows: channels, relief, and the normal that follows from the relief."""
        relief = self.cache.get(key_of("relief", pile.key), pile.relief)
        return Surface(
            sheet=self.cache.get(key_of("visible", pile.key), pile.visible),
            relief=relief,
            normal=self.cache.get(
                key_of("normal", pile.key, self.measured.key if self.measured.around.twin is not None else ""),
                lambda: normal_from_relief(self.texels, relief, self.base_normal()),
            ),
            occlusion=self._occlusion(pile),
        )

    def _occlusion(self, pile: Pile) -> np.ndarray:
        """(n,) 0 open: what was measured, and what the maps of the base know of their own small hollows."""
        measured = self.occlusion()
        if pile.marks.occlusion is None:
            return measured
        own = pile.marks.occlusion
        return self.cache.get(
            key_of("ao with maps", self.measured.key, pile.marks.key), lambda: 1 - (1 - measured) * (1 - own)
        )  # type: ignore[no-any-return]

    def base_normal(self) -> np.ndarray | None:
        """(n, 3) normals that the twin gives or the object brought, or None."""
        if self.measured.around.twin is not None:
            return self.cache.get(key_of("twin normal", self.measured.key), lambda: self.measured.normal)  # type: ignore[no-any-return]
        if not self.texels.mesh.normal_maps:
            return None
        return self.cache.get(key_of("base normal", self.texels.key), lambda: base_normal(self.texels))  # type: ignore[no-any-return]

    def occlusion(self) -> np.ndarray:
        """(n,) float32: the ambient occlusion that goes with the maps."""
        return self.cache.get(
            key_of("ao", self.measured.key),
            lambda: self.measured.occlusion(self.texels.mesh.diagonal * 1000 * OCCLUSION_SHARE),
        )  # type: ignore[no-any-return]

    def exposures(self, pile: Pile) -> list[tuple[str, str, np.ndarray]]:
        """(id of the coat, name, (n,) exposure) of the base ("", "Bare base") and of every coat, oldest first; veils
        left out.
        """
        fields: list[np.ndarray] = self.cache.get(key_of("exposures", pile.key), pile.exposures)
        named = [("", "Bare base", fields[0])]
        named += [
            (c.id, c.name, f) for c, f in zip(pile.coats, fields[1:], strict=True) if c.substance.family != "veil"
        ]
        return named


class Watcher(Protocol):
    """Looks on while a chronicle is played."""

    def chapter(self, chronicle: Chronicle, chapter: Chapter, before: Pile) -> None: ...
    def end(self, chronicle: Chronicle, pile: Pile) -> None: ...
