"""Settings of a layer with which it looks as what was read off a photograph: the surface is measured as the photograph
was, and its numbers are moved until both say the same.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

from limus.common.errors import InputError
from limus.document.scene import Layer, Scene
from limus.photographs.pieces import Pieces, pieces_of
from limus.playing.chronicle import Chapter, Chronicle

#: Tries for each number that is found by trying.
_TRIES = 6
#: How large pieces are comes last: it hangs on how much there is, and on how it keeps together.
_ORDER = ("color", "share", "clustered", "ragged", "size")
#: Texels that a piece needs across before its size can be measured.
_TEXELS = 3.0
#: What has come so near is enough: shares and looks in points, sizes by this factor.
_NEAR, _NEAR_SIZE = 0.004, 1.04


class Wanted(BaseModel):
    """What was read of one kind of surface; what is left out stays as it is."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    share: float | None = Field(None, ge=0.0, le=1.0)
    size_mm: float | None = Field(None, gt=0.0, le=1e6)
    ragged: float | None = Field(None, ge=0.0, le=1.0)
    clustered: float | None = Field(None, ge=0.0, le=1.0)
    color: tuple[float, float, float] | None = None


class Measures(BaseModel):
    """The surface where the layer shows, measured as a photograph is."""

    share: float
    size_mm: float
    ragged: float
    clustered: float


class Change(BaseModel):
    """One field that is set."""

    field: str
    title: str
    unit: str
    before: float | str | tuple[float, float, float]
    after: float | str | tuple[float, float, float]


class Fitted(BaseModel):
    """What to set, and what the surface measures before and after."""

    changes: list[Change]
    before: Measures
    after: Measures
    notes: list[str] = Field(default_factory=list)


@dataclass
class _Trial:
    """One layer of a scene with other settings, played and measured."""

    chronicle: Chronicle
    scene: Scene
    layer: Layer
    check: Callable[[], None]

    def chapter(self, fields: dict[str, Any]) -> Chapter:
        effect = type(self.layer.effect).model_validate({**self.layer.effect.model_dump(), **fields})
        changed = self.layer.model_copy(update={"effect": effect})
        layers = [changed if one.id == changed.id else one for one in self.scene.layers]
        self.check()
        scene = self.scene.model_copy(update={"layers": layers})
        found = self.chronicle.play(scene, until=self.layer.id, check=self.check)
        if not found or found[-1].layer.id != self.layer.id:
            raise InputError(
                f"'{self.layer.name}' does not play: it is switched off, or so is its episode",
                where="layer",
                remedy="Switch it on, or choose another layer",
            )
        return found[-1]

    def measures(self, fields: dict[str, Any]) -> Measures:
        chapter = self.chapter(fields)
        found = self.pieces(chapter)
        mm = self.chronicle.texels.texel_mm
        return Measures(share=chapter.coverage, size_mm=found.size * mm, ragged=found.ragged, clustered=found.clustered)

    def pieces(self, chapter: Chapter) -> Pieces:
        """On the map set with the most texels, in its own plane."""
        texels = self.chronicle.texels
        size = texels.size
        page = texels.pixel // (size * size)
        most = int(np.bincount(page).argmax())
        rows = page == most
        at = (texels.pixel[rows] - most * size * size).astype(np.int64)
        inside, mask = np.zeros(size * size, bool), np.zeros(size * size, bool)
        inside[at] = True
        mask[at] = chapter.shown[rows] > 0.5
        return pieces_of(mask.reshape(size, size), inside.reshape(size, size))


def fit(
    chronicle: Chronicle, scene: Scene, layer_id: str, wanted: Wanted, check: Callable[[], None] = lambda: None
) -> Fitted:
    """Settings of a layer of ``scene`` with which it measures what is ``wanted``.

    Raises
    ------
    InputError : no such layer, it does not play, or nothing of what was read can be set on it. Cancelled : by
        ``check``.
    """
    layer = next((one for one in scene.layers if one.id == layer_id), None)
    if layer is None:
        raise InputError("there is no such layer", where="layer", remedy="Choose one of the chronicle")
    of = layer.effect.photographed
    asked = [name for name in _ORDER if _value(wanted, name) is not None]
    can = [name for name in asked if name in of]
    if not can:
        raise InputError(
            f"nothing of this can be set on '{layer.name}'",
            where="layer",
            remedy="Choose a layer that has a coverage, a size or a colour of its own",
        )
    trial = _Trial(chronicle, scene, layer, check)
    before = trial.measures({})
    fields: dict[str, Any] = dict(layer.effect.photographed_with) if set(can) - {"color"} else {}
    notes: list[str] = []
    if wanted.color is not None and "color" in can:
        fields[of["color"]] = list(wanted.color)
    for name in [one for one in can if one != "color"]:
        field = of[name]
        value = float(_value(wanted, name))
        finest = _TEXELS * chronicle.texels.texel_mm
        if name == "size" and value < finest:
            notes.append(
                f"Pieces of {value:.2g} mm are finer than can be measured here ({finest:.2g} mm): their size stays"
            )
            continue
        fields[field], near = _search(trial, fields, field, name, value)
        if not near:
            title = type(layer.effect).model_fields[field].title or field
            notes.append(f"{title} cannot come all the way: the layer's place or its other settings hold it back")
    after = trial.measures(fields)
    dumped = layer.effect.model_dump(mode="json")
    changes = [
        Change(
            field=field,
            title=type(layer.effect).model_fields[field].title or field,
            unit=str((type(layer.effect).model_fields[field].json_schema_extra or {}).get("unit", "")),  # type: ignore[union-attr]
            before=dumped[field],
            after=value,
        )
        for field, value in fields.items()
        if dumped[field] != value
    ]
    missing = [name for name in asked if name not in of]
    if missing:
        notes.append(f"This layer has no setting for: {', '.join(missing)}")
    return Fitted(changes=changes, before=before, after=after, notes=notes)


def _value(wanted: Wanted, name: str) -> Any:
    return getattr(wanted, "size_mm" if name == "size" else name)


def _search(trial: _Trial, fields: dict[str, Any], field: str, name: str, wanted: float) -> tuple[float, bool]:
    """The value of ``field`` with which the measure ``name`` is as wanted, and whether it came near: by the rule of
    false position on the slider's range, as more of a setting is more of its measure.
    """
    about = type(trial.layer.effect).model_fields[field]
    extra: Any = about.json_schema_extra or {}
    schema = type(trial.layer.effect).model_json_schema()["properties"][field]
    hard_low, hard_high = float(schema.get("minimum", 0.0)), float(schema.get("maximum", 1.0))
    sizes = name == "size"
    now = float(getattr(trial.layer.effect, field))

    def measured(value: float) -> float:
        found = trial.measures({**fields, field: value})
        return float(getattr(found, "size_mm" if sizes else name))

    def error(value: float) -> float:
        got = measured(value)
        return float(np.log(max(got, 1e-6) / wanted)) if sizes else got - wanted

    enough = float(np.log(_NEAR_SIZE)) if sizes else max(_NEAR, 0.02 * wanted)
    low, high = (max(hard_low, wanted / 20.0), min(hard_high, wanted * 20.0)) if sizes else (hard_low, hard_high)
    if name == "share" and extra.get("unit") == "%":
        # Most fields of a share are just that: begin there.
        now = min(max(wanted, hard_low), hard_high)
    at = min(max(now, low), high)
    off = error(at)
    best, least = at, abs(off)
    ends: dict[bool, tuple[float, float]] = {}
    for _ in range(_TRIES):
        if least <= enough:
            break
        ends[off > 0] = (at, off)
        if len(ends) == 2:
            (x0, e0), (x1, e1) = ends[False], ends[True]
            share = float(np.clip(-e0 / (e1 - e0), 0.1, 0.9))
            at = float(np.exp(np.log(x0) + share * (np.log(x1) - np.log(x0)))) if sizes else x0 + share * (x1 - x0)
        elif sizes:
            at = float(np.clip(at * np.exp(-off * 1.2), low, high))
        else:
            at = (
                0.5 * (at + (low if off > 0 else high))
                if abs(at - (low if off > 0 else high)) > 0.1
                else (low if off > 0 else high)
            )
        if at == best:
            break
        off = error(at)
        if abs(off) < least:
            best, least = at, abs(off)
    return float(f"{best:.3g}"), least <= (4.0 if sizes else 5.0) * enough
