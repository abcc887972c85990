"""What an effect is shown on: a base, what happened before it, and how much of it."""

from __future__ import annotations

from typing import Literal

from limus.bases.choice import from_stock
from limus.common.object_size import ObjectSize
from limus.document.scene import Layer, Scene
from limus.document.start import fresh_effect
from limus.effects.catalogue import EFFECTS
from limus.intake.object_file import ObjectFile
from limus.readings.setting import Setting

Level = Literal["low", "default", "high"]
#: Fields that say how much of an effect there is, raised for the severe picture.
MUCH = (
    "coverage", "amount", "deep", "thickness_um", "runs", "stain", "tone", "gloss", "piece_tone", "prints", "smears",
    "green", "worn", "yellowing", "scratches", "trails", "curl_mm", "melt", "film", "beads", "glints", "dirt",
    "opened", "fade", "chalk", "dark", "depth_mm",
)  # fmt: skip
#: Strength of a layer in the slight picture.
LITTLE = 0.4


def story(kind: str, level: Level, size: ObjectSize) -> list[Layer]:
    """What happened before, and the effect with little, its default, or much of it."""
    setting = Setting()
    out = []
    for k, name in enumerate((*EFFECTS[kind].shown_on[1], kind)):
        effect = fresh_effect(name, size, setting)
        strength = 1.0
        if name == kind and level == "low":
            strength = LITTLE
        elif name == kind and level == "high":
            fields = type(effect).model_json_schema()["properties"]
            effect = effect.model_copy(update={f: fields[f]["soft"][1] for f in MUCH if f in fields})
            if "years" in fields:
                effect = effect.model_copy(update={"years": 40.0})
        where = EFFECTS[name].default_where(size)
        title = EFFECTS[name].title
        out.append(Layer(id=f"{name}-{k}", name=title, effect=effect, where=where, strength=strength))
    return out


def scene_of(kind: str, level: Level, name: str, size: ObjectSize, file: str = "guide.glb") -> Scene:
    """The scene of one picture."""
    return Scene(
        name=name,
        object=ObjectFile(file=file),
        bases=[from_stock(EFFECTS[kind].shown_on[0])],
        layers=story(kind, level, size),
    )
