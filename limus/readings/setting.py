"""The place the object stands in."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field

from limus.common.fields import Document, choice, number, switch
from limus.surface.axes import Up

Corrosivity = Literal["C1", "C2", "C3", "C4", "C5", "CX"]


def _optional(
    title: str,
    unit: str,
    low: float,
    high: float,
    soft: tuple[float, float],
    about: str,
    empty: str,
    start: float,
    group: str = "Standing",
) -> Any:
    """A number that may be left out; ``empty`` says what then holds, ``start`` is where it begins when it is switched
    on.
    """
    return Field(
        default=None,
        ge=low,
        le=high,
        title=title,
        description=about,
        json_schema_extra={
            "unit": unit,
            "soft": list(soft),
            "control": "optional",
            "empty": empty,
            "start": start,
            "scale": "linear",
            "group": group,
        },
    )


class Setting(Document):
    """Ground, sky, wind and climate. The object stands with +y up; north and wind are angles about up, seen from
    above.
    """

    up: Up = choice(
        "+y", "Up in the file", "Which axis of the file points up",
        **{"+y": "+Y", "-y": "−Y", "+z": "+Z", "-z": "−Z", "+x": "+X", "-x": "−X"}, hints={"group": "Standing"},
    )  # fmt: skip
    ground_mm: float | None = _optional(
        "Ground",
        "mm",
        -1e7,
        1e7,
        (-500.0, 500.0),
        "Height of the ground in the object's own heights",
        "at the lowest point",
        0.0,
    )
    ground_hides: bool = switch(
        True,
        "Ground hides",
        "The ground counts in occlusion: what is near it is sheltered from below",
        group="Standing",
    )
    north_deg: float = number(
        0.0,
        "North",
        "°",
        -180.0,
        360.0,
        (0.0, 360.0),
        "Where north is: 0 is away from you (the −Z side), 90 to the right",
        group="Sun",
    )
    latitude: float = number(52.0, "Latitude", "°", -90.0, 90.0, about="North of the equator is positive", group="Sun")
    day: int | None = _optional(
        "Day of the year",
        "",
        1,
        365,
        (1, 365),
        "Sun of one day: 81 is the spring equinox, 172 midsummer",
        "the whole year",
        172,
        "Sun",
    )
    wind_from_deg: float = number(
        240.0,
        "Wind from",
        "°",
        0.0,
        360.0,
        (0.0, 360.0),
        "Compass direction the rain-bringing wind comes from: 0 north, 90 east",
        group="Weather",
    )
    wind_speed: float = number(
        4.0,
        "Wind in rain",
        "m/s",
        0.0,
        60.0,
        (0.0, 15.0),
        "Mean speed while it rains; 0: the rain falls straight down",
        group="Weather",
    )
    rain_mm: float = number(
        900.0, "Rain a year", "mm", 0.0, 12000.0, (200.0, 2500.0), "Rain on open ground in a year", group="Weather"
    )
    corrosivity: Corrosivity = choice(
        "C4", "Corrosivity", "Class of the place after ISO 9223", hints={"group": "Climate"},
        C1="C1 very low, heated rooms", C2="C2 low, dry country air", C3="C3 medium, towns",
        C4="C4 high, by the water", C5="C5 very high, by the sea", CX="CX extreme",
    )  # fmt: skip
    years: float = number(
        10.0,
        "Years outside",
        "years",
        0.0,
        500.0,
        (0.0, 60.0),
        "How long it has stood here: the age that new layers start from",
        group="Climate",
    )
