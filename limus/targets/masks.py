"""Masks that go along with a delivery: of layers, of their lines, and where coats show; a file each, or four in one."""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from dataclasses import dataclass, field

import numpy as np

from limus.common.errors import InputError
from limus.common.wording import one_of
from limus.document.scene import Scene
from limus.formats.png import quantise
from limus.playing.chronicle import Chapter, Chronicle
from limus.strata.pile import Pile
from limus.surface.mesh import Mesh, distinct
from limus.targets.naming import Naming
from limus.targets.raster import Raster, Tile
from limus.targets.written import Written, file_stem

#: Masks at most in one delivery.
MOST = 64
#: Listed beside the files: what each holds.
LISTING = "masks.json"
_ASKED = re.compile(r"(?P<layer>[^:]+?)(?::(?P<what>acted|coat|\d{1,3})(?:/(?P<piece>.+))?)?")


@dataclass(frozen=True)
class MaskAsked:
    """One mask: ``shows`` "place" (what the recipe allows), "acted" (where the layer did something), "line" (one line
    of its recipe, ``line`` from 0) or "coat" (where a coat of it shows today, ``piece`` which one).
    """

    layer: str
    shows: str = "place"
    line: int = 0
    piece: str = ""

    @property
    def coat(self) -> str:
        """Id of the coat."""
        return f"{self.layer}/{self.piece}" if self.piece else self.layer

    @property
    def stem(self) -> str:
        """The middle of its file name."""
        more = {"place": "", "acted": " acted", "line": f" line {self.line + 1}", "coat": f" coat {self.piece}"}
        return file_stem(f"{self.layer}{more[self.shows]}", "mask")


def masks_asked(texts: Sequence[str], scene: Scene, where: str = "masks") -> list[MaskAsked]:
    """What is asked for: ``rust`` (or the layer's name) where it may be, ``rust:acted`` where it acted, ``rust:2`` the
    second line of its recipe, ``rust:coat`` or ``paint:coat/primer`` where a coat shows.

    Raises
    ------
    InputError : a layer, line or coat that there is none of, a layer that is off, one mask twice, too many.
    """
    if len(texts) > MOST:
        raise InputError(f"{len(texts)} masks are asked for", where=where, remedy=f"Take {MOST} at most")
    out: list[MaskAsked] = []
    for k, text in enumerate(texts):
        path = f"{where}[{k}]"
        match = _ASKED.fullmatch(text.strip()[:120])
        # A name may hold a colon: the whole text is tried first.
        layer = next((one for one in scene.layers if text in (one.id, one.name)), None)
        what = piece = ""
        if layer is None and match is not None:
            what, piece = match["what"] or "", match["piece"] or ""
            layer = next((one for one in scene.layers if match["layer"] in (one.id, one.name)), None)
        if layer is None:
            names = [one.id for one in scene.layers]
            raise InputError(
                f"'{text[:60]}' is no mask of this scene",
                where=path,
                remedy=one_of(names, text) if names else "The scene has no layers: add one first",
                value=text[:60],
            )
        if not scene.plays(layer):
            raise InputError(f"the layer '{layer.name}' is off", where=path, remedy="Switch it on, or leave it out")
        if what.isdigit():
            lines = len(layer.where.terms)
            if not 1 <= int(what) <= lines:
                raise InputError(
                    f"the recipe of '{layer.name}' has no line {what}",
                    where=path,
                    remedy=f"Take 1 to {lines}" if lines else "It has none: it lies everywhere",
                    value=text[:60],
                )
            asked = MaskAsked(layer.id, "line", int(what) - 1)
        elif what == "coat":
            pieces = layer.effect.pieces
            if (piece and piece not in pieces) or layer.effect.family == "loss":
                raise InputError(
                    f"'{layer.name}' leaves no such coat",
                    where=path,
                    remedy=one_of(list(pieces), piece) if pieces else "Take where it acted",
                    value=text[:60],
                )
            asked = MaskAsked(layer.id, "coat", piece=piece)
        else:
            asked = MaskAsked(layer.id, what or "place")
        if asked in out:
            raise InputError(f"'{text[:60]}' is asked for twice", where=path, remedy="Leave one out", value=text[:60])
        out.append(asked)
    return out


def mask_names(naming: Naming, size: int, asked: Sequence[MaskAsked], *, packed: bool) -> list[str]:
    """Names of the files, in the order in which they are written; none where nothing is asked for."""
    stems = _packs(len(asked)) if packed else distinct((one.stem for one in asked), "-")
    files = [file for stem in _titled(stems) for file in naming.maps(stem, ".png", size)]
    return [*files, LISTING] if asked else []


def _titled(stems: Sequence[str]) -> list[str]:
    return [f"mask-{stem}" for stem in stems]


def _packs(count: int) -> list[str]:
    return [f"pack-{k + 1}" for k in range((count + 3) // 4)]


@dataclass
class MaskTaker:
    """Takes masks while a chronicle is played: called with each chapter and the pile before it, then with the last
    pile.
    """

    scene: Scene
    asked: Sequence[MaskAsked]
    fields: dict[MaskAsked, np.ndarray] = field(default_factory=dict)

    def chapter(self, chronicle: Chronicle, chapter: Chapter, before: Pile) -> None:
        """Keep what is asked of this layer."""
        for one in self.asked:
            if one.layer != chapter.layer.id:
                continue
            if one.shows == "place":
                self.fields[one] = chapter.mask
            elif one.shows == "acted":
                self.fields[one] = chapter.shown
            elif one.shows == "line":
                # A line that is left out for now is still a mask of its own.
                self.fields[one] = chapter.layer.where.terms[one.line].value(chronicle.scope(self.scene, before))

    def end(self, chronicle: Chronicle, pile: Pile) -> None:
        """Keep what shows today of the coats that are asked for, all pieces of a layer together."""
        wanted = [one for one in self.asked if one.shows == "coat"]
        if not wanted:
            return
        exposures = chronicle.exposures(pile)
        for one in wanted:
            total = np.zeros(len(chronicle.texels), np.float32)
            for coat, _, shown in exposures:
                if coat == one.coat or (not one.piece and coat.split("/")[0] == one.layer):
                    total += shown
            self.fields[one] = np.minimum(total, 1.0)

    def said(self) -> list[str]:
        """What there is to say of them: one that is black says so."""
        out = []
        for one, values in self.fields.items():
            layer = self.scene.layer(one.layer)
            if layer is not None and not bool((values > 0).any()):
                what = {"place": "mask", "acted": "mask of where it acted", "line": f"mask of line {one.line + 1}"}
                out.append(f"{layer.name}: the {what.get(one.shows, 'mask of its coat')} is black everywhere")
        return out


def mask_rasters(
    naming: Naming, size: int, scene: Scene, asked: Sequence[MaskAsked], bits: int, *, packed: bool
) -> list[Raster]:
    """Masks of ``bits`` 8 or 16, linear, black not and white fully; packed: four to a file in R, G, B, A, what is left
    over is black (A white).
    """
    if not asked:
        return []
    names, pages = mask_names(naming, size, asked, packed=packed), len(naming.mesh.uv_domains)
    groups = [asked[k : k + 4] for k in range(0, len(asked), 4)] if packed else [[one] for one in asked]
    out = []
    for g, group in enumerate(groups):

        def encode(tile: Tile, group: Sequence[MaskAsked] = group) -> np.ndarray:
            fields = [tile.masks[one] for one in group]
            if packed and len(fields) < 4:
                # An alpha of nothing would hide the other three in whatever shows the picture.
                nothing, all_ = np.zeros_like(fields[0]), np.ones_like(fields[0])
                fields = [*fields, *([nothing] * (3 - len(fields)) + [all_])[: 4 - len(fields)]]
            return quantise(np.stack(fields, axis=1), bits)

        letters = "RGBA" if packed else "L"
        channels = {letter: _about(scene, one) for letter, one in zip(letters, group, strict=False)}
        out.append(
            Raster(
                tuple(names[g * pages : (g + 1) * pages]), 4 if packed else 1,
                np.dtype(np.uint8 if bits == 8 else np.uint16), encode,
                about={"bits": bits, "colour": "linear", "channels": channels}, nothing=(0.0,) * (4 if packed else 1),
            )
        )  # fmt: skip
    return out


def mask_list(name: str, mesh: Mesh, size: int, rasters: Sequence[Raster], made: Sequence[Written]) -> Written:
    """``masks.json``: what is where, with the SHA-256 of the bytes of ``made``."""
    sums = {file.name: file.checksum for file in made}
    listing = {
        file: {"map_set": mesh.uv_domains[k], **raster.about, "sha256": sums[file]}
        for raster in rasters
        for k, file in enumerate(raster.files)
    }
    about = {"object": name, "resolution": size, "files": listing}
    return Written(LISTING, json.dumps(about, indent=2, ensure_ascii=False, allow_nan=False).encode())


def _about(scene: Scene, one: MaskAsked) -> dict[str, object]:
    layer = scene.layer(one.layer)
    assert layer is not None
    more: dict[str, object] = {"line": one.line + 1} if one.shows == "line" else {}
    if one.piece:
        more["coat"] = one.piece
    return {"layer": one.layer, "name": layer.name, "shows": one.shows, **more}
