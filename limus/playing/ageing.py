"""The years: what a chronicle looked like at a moment between as made and today.

A layer begins at a year and grows from there by the law of its effect until today, where it is as it was set:

- *at once*: it is there from its year on (paint, a decal, a lacquer);
- *even*: in step with time: dust settles at a constant rate (Hinds, Aerosol Technology), chips and rubbing add up
with use (common practice, no source);
- *root*: by the root of time, as what diffuses or soaks in (dirt carried by water; Crank, The Mathematics of
Diffusion);
- *late*: by its square: paint holds for years, then lets go (common practice, no source);
- *years*: by the effect's own field of years, whose law is in the effect (rust and patina, ISO 9224: ``D = r t^b``).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from limus.document.scene import Layer, Scene


def grown(law: str, share: float) -> float:
    """Part 0..1 of what it is today that something has reached after ``share`` 0..1 of its time."""
    share = min(max(share, 0.0), 1.0)
    return {"at once": 1.0, "even": share, "root": share**0.5, "late": share**2, "years": 1.0}[law]


def at_year(layer: Layer, year: float, today: float) -> Layer:
    """The layer as it was in ``year``; off where it had not begun. ``today`` is the year in which it is as it was
    set.
    """
    if year >= today:
        return layer
    if year < layer.since:
        return layer.model_copy(update={"on": False})
    if layer.fixed or today <= layer.since:
        return layer
    share = (year - layer.since) / (today - layer.since)
    law = layer.effect.law
    if law == "years":
        years = layer.effect.years  # type: ignore[attr-defined]
        return layer.model_copy(update={"effect": layer.effect.model_copy(update={"years": years * share})})
    return layer.model_copy(update={"strength": layer.strength * grown(law, share)})


def aged(scene: Scene) -> Scene:
    """The scene as it was in its own ``year``; the very same where that is today."""
    today = scene.setting.years
    if scene.year is None or scene.year >= today:
        return scene
    layers = [at_year(layer, scene.year, today) for layer in scene.layers]
    return scene.model_copy(update={"layers": layers, "year": None})
