"""The condition of a surface in a year: the area of every coat, thicknesses, grades, part by part."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from pydantic import BaseModel, Field

from limus.document.scene import Scene
from limus.effects.films import paints_of
from limus.materials.substance import FAMILIES
from limus.playing.chronicle import Chapter, Chronicle
from limus.report.grades import crack_size, flaking_iso, rust_astm, rust_iso
from limus.strata.pile import Coat, Pile

#: A coat thinner than this is not there, µm.
_THERE_UM = 0.05
#: Effects by which paint flakes; what is rubbed or washed off is no flaking.
FLAKES = ("chipping", "peeling")


class Thickness(BaseModel):
    """Of a coat where it lies, µm: its mean, and what a twentieth, a half and 19 twentieths of its area stay below."""

    mean: float
    low: float
    median: float
    high: float


class CoatCondition(BaseModel):
    """One coat, or the bare base."""

    name: str
    family: str
    shows: float = Field(description="Share of the area where it is what one sees")
    area_m2: float
    lies: float = Field(description="Share of the area where it lies, seen or not")
    thickness_um: Thickness | None = None


class PartCondition(BaseModel):
    """One part of the object, or all of it (``name`` "")."""

    name: str
    area_m2: float
    coats: list[CoatCondition]
    rusted: float = Field(description="Share of the area where oxide shows")
    rust_iso: str = Field(description="ISO 4628-3")
    rust_astm: str = Field(description="ASTM D610")
    painted: float = Field(description="Share of the area that was ever painted")
    flaked: float | None = Field(
        None, description="Share of that where paint flaked off; none where nothing is painted"
    )
    flaking_iso: str = Field("", description="ISO 4628-5")
    film_um: Thickness | None = Field(None, description="All coats of paint together, where there is any")


class Condition(BaseModel):
    """The report. ``year``: years after it was made."""

    object: str
    year: float
    resolution: int
    whole: PartCondition
    parts: list[PartCondition]
    cracks: list[tuple[str, float, str]] = Field(
        default_factory=list, description="Layer, width of its cracks in mm, and class of their size, ISO 4628-4"
    )
    notes: list[str] = Field(default_factory=list)


def condition(
    chronicle: Chronicle, scene: Scene, year: float | None = None, check: Callable[[], None] = lambda: None
) -> Condition:
    """Measure the surface of ``scene`` in ``year`` (None: as the scene stands). Raises Cancelled by ``check``."""
    if year is not None:
        scene = scene.model_copy(update={"year": min(max(year, 0.0), scene.setting.years)})
    chapters = chronicle.play(scene, check=check)
    pile = chapters[-1].pile if chapters else chronicle.as_made(scene)
    check()
    texels = chronicle.texels
    shown = chronicle.exposures(pile)
    oxide = pile.exposed("oxide")
    painted, flaked = _paint(chapters, len(texels))
    film = _film(pile)
    by_id = {coat.id: coat for coat in pile.coats}

    def of(name: str, rows: np.ndarray | None) -> PartCondition:
        area = texels.area if rows is None else texels.area * rows
        total = float(area.sum())

        def share(field: np.ndarray) -> float:
            return float((field * area).sum() / total) if total > 0 else 0.0

        coats = []
        for coat, title, exposure in shown:
            thick = by_id[coat].thickness if coat else None
            shows, lies = share(exposure), 1.0 if thick is None else share((thick > _THERE_UM).astype(np.float32))
            if coat and lies < 1e-5:
                continue
            coats.append(
                CoatCondition(
                    name=title,
                    family=_family(pile, coat, by_id),
                    shows=shows,
                    area_m2=shows * total,
                    lies=lies,
                    thickness_um=None if thick is None else _thickness(thick, area),
                )
            )
        rusted, was = share(oxide), share(painted)
        gone = share(flaked) / was if was > 1e-4 else None
        return PartCondition(
            name=name,
            area_m2=total,
            coats=coats,
            rusted=rusted,
            rust_iso=rust_iso(rusted),
            rust_astm=rust_astm(rusted),
            painted=was,
            flaked=gone,
            flaking_iso="" if gone is None else flaking_iso(gone),
            film_um=_thickness(film, area),
        )

    part = texels.part
    names = [one.name for one in texels.mesh.parts]
    parts = [of(name, (part == k).astype(np.float32)) for k, name in enumerate(names)] if len(names) > 1 else []
    cracks = [
        (chapter.layer.name, float(width), crack_size(float(width)))
        for chapter in chapters
        if chapter.layer.effect.kind == "cracks"
        and chapter.coverage > 0
        and (width := getattr(chapter.layer.effect, "width_mm", None)) is not None
    ]
    return Condition(
        object=scene.name,
        year=scene.setting.years if scene.year is None else scene.year,
        resolution=texels.size,
        whole=of("", None),
        parts=parts,
        cracks=cracks,
        notes=[
            "Areas are those of the measured surface; grades follow from them, and are no inspection by the standard's "
            "pictures",
            "Blisters (ISO 4628-2) and the number of cracks (ISO 4628-4) are not graded: their standards compare "
            "pictures, not areas",
        ],
    )


def _paint(chapters: list[Chapter], count: int) -> tuple[np.ndarray, np.ndarray]:
    """(n,) where it was ever painted, 0 or 1, and (n,) how much of its paint flaked there, 0..1."""
    was, gone = np.zeros(count, np.float32), np.zeros(count, np.float32)
    for chapter in chapters:
        kind = chapter.layer.effect.kind
        if kind == "paint":
            # Paint on paint closes what was gone before.
            gone = np.asarray(gone * (1.0 - chapter.shown), np.float32)
        elif kind in FLAKES:
            gone = np.maximum(gone, chapter.shown)
        was = np.maximum(was, (_film(chapter.pile) > _THERE_UM).astype(np.float32))
    return was, np.asarray(was * gone, np.float32)


def _film(pile: Pile) -> np.ndarray:
    """(n,) float32 µm of all paint together."""
    out = np.zeros(len(pile.skin), np.float32)
    for k in paints_of(pile):
        out += pile.coats[k].thickness
    return out


def _thickness(field: np.ndarray, area: np.ndarray) -> Thickness | None:
    rows = (field > _THERE_UM) & (area > 0)
    if not rows.any():
        return None
    values, weights = field[rows].astype(np.float64), area[rows].astype(np.float64)
    order = np.argsort(values, kind="stable")
    below = np.cumsum(weights[order])
    below = (below - 0.5 * weights[order]) / below[-1]
    low, median, high = np.interp((0.05, 0.5, 0.95), below, values[order])
    return Thickness(
        mean=float((values * weights).sum() / weights.sum()), low=float(low), median=float(median), high=float(high)
    )


def _family(pile: Pile, coat: str, by_id: Mapping[str, Coat]) -> str:
    if coat:
        family = str(by_id[coat].substance.family)
        return FAMILIES.get(family, family)
    return " and ".join(dict.fromkeys(FAMILIES.get(one.family, one.family) for one in pile.substances))
