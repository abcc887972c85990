"""A first document for an object: what it is made of, and what commonly happens to that, in sizes that fit it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from limus.bases.choice import BaseChoice
from limus.bases.laid_material import USUAL
from limus.bases.store_room import STOCK, stock
from limus.common.errors import InputError
from limus.common.object_size import ObjectSize
from limus.common.wording import one_of
from limus.document.scene import Layer, Scene, scene_from
from limus.effects.catalogue import EFFECTS
from limus.effects.effect import Effect
from limus.intake.object_file import ObjectFile
from limus.readings.setting import Setting


def suiting(base: BaseChoice) -> list[str]:
    """Kinds of effects that a document on this base begins with, oldest first."""
    family = base.substance.family
    return [kind for kind, effect in EFFECTS.items() if effect.begins and (not effect.suits or family in effect.suits)]


def fresh_effect(kind: str, size: ObjectSize, setting: Setting, bases: Sequence[BaseChoice] = ()) -> Effect:
    """An effect as a new layer has it: sizes that fit the object, what suits its bases, as old as the place it stands
    in.
    """
    effect = EFFECTS[kind]
    more = effect.on_ground({base.substance.family for base in bases})
    return effect.fitted(size).model_copy(
        update=more | ({"years": setting.years} if "years" in effect.model_fields else {})
    )


def fresh_layer(
    kind: str, name_id: str, size: ObjectSize, setting: Setting, bases: Sequence[BaseChoice] = (), *, name: str = ""
) -> Layer:
    """A new layer: its effect as ``fresh_effect`` gives it, where the effect goes by default; called after its effect
    unless ``name`` says otherwise.
    """
    effect = EFFECTS[kind]
    return Layer(
        id=name_id,
        name=name or effect.title,
        effect=fresh_effect(kind, size, setting, bases),
        where=effect.default_where(size),
    )


def started(
    document: ObjectFile,
    setting: Setting,
    size: ObjectSize,
    *,
    base: str | BaseChoice | None = None,
    layers: Sequence[str] | None = None,
    name: str | None = None,
) -> Scene:
    """The document.

    Parameters
    ----------
    base : a name of the store room, or an entry as it stands in a scene. layers : kinds of effects, oldest first; None:
        those that suit the base.

    Raises
    ------
    InputError : a kind of effect or a base that is not there.
    """
    chosen, base = base is not None, base or USUAL
    if isinstance(base, str):
        if stock(base) is None:
            raise InputError(f"there is no base '{base}'", where="--base", remedy=one_of(STOCK, base))
        base = BaseChoice.model_validate({"material": base})
    if chosen:
        base = base.model_copy(update={"file_maps": False})
    kinds = suiting(base) if layers is None else list(layers)
    made: list[dict[str, Any]] = []
    for kind in kinds:
        if kind not in EFFECTS:
            raise InputError(f"there is no effect '{kind}'", where="--layers", remedy=one_of(EFFECTS, kind))
        effect = EFFECTS[kind]
        count = sum(1 for layer in made if layer["effect"]["kind"] == kind) + 1
        made.append(
            fresh_layer(
                kind,
                kind if count == 1 else f"{kind}-{count}",
                size,
                setting,
                [base],
                name=effect.title if count == 1 else f"{effect.title} {count}",
            ).model_dump(mode="json")
        )
    whole = {
        "version": 1,
        "name": (name or Path(document.file).stem)[:120],
        "object": document.model_dump(mode="json"),
        "setting": setting.model_dump(mode="json"),
        "bases": [base.model_dump(mode="json")],
        "layers": made,
    }
    return scene_from(whole, "start")
