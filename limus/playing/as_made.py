"""The object as it was made: its bases laid on its parts."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from limus.bases.choice import BaseChoice
from limus.bases.ground import Skin
from limus.bases.laid_skin import Find, laid_skin, stamps_of
from limus.bases.laying import joined, over
from limus.common.deciding import within
from limus.common.hashing import key_of
from limus.document.scene import Scene
from limus.masks.source import Keep, Scope
from limus.materials.channels import CHANNELS, is_even
from limus.materials.imported import lay_maps
from limus.materials.substance import Substance
from limus.readings.reading import Place
from limus.strata.pile import Marks, Pile
from limus.surface.mesh import Mesh


def owner_of_parts(scene: Scene, mesh: Mesh) -> np.ndarray:
    """(parts,) int: which base of the scene covers each part; the last that names it, else the first that names
    none.
    """
    plain = [k for k, b in enumerate(scene.bases) if b.where is None]
    out = np.full(
        len(mesh.parts), next((k for k in plain if scene.bases[k].parts is None), plain[0] if plain else 0), np.int64
    )
    for k in plain:
        named = scene.bases[k].parts
        if named is not None:
            chosen = set(named)
            out[[number for number, part in enumerate(mesh.parts) if part.name in chosen]] = k
    return out


def lies_on(scene: Scene, mesh: Mesh) -> list[str]:
    """Where each base of the scene lies, in words: "by a mask", "everything", "all other parts", the name of its part,
    how many parts.
    """
    owner = owner_of_parts(scene, mesh)
    out = []
    for k, base in enumerate(scene.bases):
        mine = np.flatnonzero(owner == k)
        if base.where is not None:
            out.append("by a mask")
        elif len(mine) == len(mesh.parts):
            out.append("everything")
        elif not len(mine):
            out.append("nothing: others lie on its parts")
        elif base.parts is None:
            out.append("all other parts")
        else:
            out.append(mesh.parts[int(mine[0])].name if len(mine) == 1 else f"{len(mine)} parts")
    return out


def as_made(place: Place, keep: Keep, scene: Scene, find: Find = None) -> Pile:
    """The pile before anything happened: one base for each part, and what lies over them by masks."""
    texels = place.texels
    bases = scene.bases or [BaseChoice()]
    scope = Scope(place, keep, scene.seed, None, None, None, find)
    wheres = [b.where.key(scope) if b.where is not None else "" for b in bases]
    stamps = [stamps_of(b.files, find) for b in bases]
    own = scene.object.own_maps
    key = key_of(
        "as made 3", texels.key, [b.model_dump(exclude={"where"}) for b in bases], wheres, stamps, scene.seed, own
    )

    def make() -> Pile:
        shown = replace_empty(scene, bases)
        owner = owner_of_parts(shown, texels.mesh)
        of_texel = owner[texels.part]

        def skin_on(k: int, rows: np.ndarray, name: object) -> Skin:
            with within(f"base {k}"):
                return laid_skin(bases[k], texels, scene.seed, keep, find, rows, name)

        used = [int(k) for k in np.unique(of_texel)]
        names = [sorted(p.name for p, o in zip(texels.mesh.parts, owner, strict=True) if o == k) for k in used]
        pieces: list[tuple[np.ndarray | slice, Skin]] = []
        for k, parts in zip(used, names, strict=True):
            rows = np.flatnonzero(of_texel == k)
            pieces.append((rows, skin_on(k, rows, parts if len(used) > 1 else "all")))
        skin = joined(len(texels), pieces)
        substances: list[Substance] = [bases[k].substance for k in used]
        order = list(used)
        index = np.searchsorted(np.array(used), of_texel).astype(np.uint8)
        plain = np.array([own and bases[k].file_maps for k in range(len(bases))])
        sheet = dict(skin.sheet)
        if plain.any():
            # Before what lies over by a mask: that hides them as it hides the base below.
            lay_maps(texels, sheet, None if plain[used].all() else plain[of_texel])
        skin = replace(skin, sheet=sheet)
        for k, choice in enumerate(bases):
            if choice.where is None:
                continue
            named = (
                None
                if choice.parts is None
                else {n for n, p in enumerate(texels.mesh.parts) if p.name in set(choice.parts)}
            )
            rows = np.arange(len(texels)) if named is None else np.flatnonzero(np.isin(texels.part, list(named)))
            if not len(rows):
                continue
            mask = choice.where.value(scope)[rows]
            above = skin_on(k, rows, sorted(choice.parts) if choice.parts is not None else "all")
            above = replace(above, relief=above.relief + choice.stands_mm)
            with within(f"over {k}"):
                blended, share = over(_at(skin, rows), above, mask, choice.blend_mm)
            skin = (
                joined(len(texels), [(np.arange(len(texels)), skin), (rows, blended)])
                if len(rows) < len(texels)
                else blended
            )
            substances.append(choice.substance)
            order.append(k)
            index[rows[share > 0.5]] = len(substances) - 1
        sheet = dict(skin.sheet)
        if len(order) > len(used) and plain[order[len(used) :]].any():
            lay_maps(texels, sheet, plain[np.array(order)][index] & (index >= len(used)))
        marks = Marks(skin.joint, skin.piece, skin.occlusion, tuple(order), key)
        for array in (
            *sheet.values(),
            skin.relief,
            index,
            *(a for a in (skin.joint, skin.piece, skin.occlusion) if a is not None),
        ):
            array.setflags(write=False)
        return Pile(texels, key, sheet, tuple(substances), index, skin.relief, marks=marks)

    pile: Pile = keep.get(key, make)
    return pile


def replace_empty(scene: Scene, bases: list[BaseChoice]) -> Scene:
    """The scene with these bases: one without any is made of the usual one."""
    return scene if scene.bases else scene.model_copy(update={"bases": bases})


def _at(skin: Skin, rows: np.ndarray) -> Skin:
    """The skin at chosen texels."""

    def pick(values: np.ndarray | None) -> np.ndarray | None:
        return None if values is None else values[rows]

    sheet = {name: value if is_even(value, CHANNELS[name]) else value[rows] for name, value in skin.sheet.items()}
    return Skin(sheet, skin.relief[rows], pick(skin.joint), pick(skin.piece), pick(skin.occlusion))
