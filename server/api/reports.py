"""The condition of an object's surface, as numbers and as files to hand over."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router
from pydantic import BaseModel

from limus.common.errors import InputError
from limus.document.scene import Scene
from limus.playing.chronicle import Chronicle
from limus.readings.sun_path import sun_at
from limus.report.as_pdf import as_pdf
from limus.report.as_table import as_csv
from limus.report.condition import Condition, condition
from limus.review.portrait import portrait_on
from server.api.answers import Problem, object_of, owner_of
from server.projects.gate import gate
from server.projects.models import WorkObject
from server.projects.workshop import session_of

router = Router()
#: Texels along a side: enough for areas to a tenth of a percent.
TEXELS = 512
Year = Annotated[float | None, Query(ge=0, le=100000)]


def _of(item: WorkObject, year: float | None) -> tuple[Chronicle, Scene]:
    """The surface in a year.

    Raises
    ------
    InputError : it was not measured yet.
    """
    scene = item.scene()
    if year is not None:
        scene = scene.model_copy(update={"year": min(max(year, 0.0), scene.setting.years)})
    session = session_of(scene)
    readings = session.measuring.best()
    if readings is None:
        raise InputError(
            "the object has not been measured yet", where="object", remedy="Wait for its readings, and ask again"
        )
    return session.chronicle(readings.measured, TEXELS, weather=scene.asks_for_weather), scene


@router.get("/objects/{int:object_id}/condition", response={200: Condition, 422: Problem})
def get_condition(request: HttpRequest, object_id: int, year: Year = None) -> Condition:
    """Area of every coat, thicknesses and grades, part by part, in a year (none: as the scene stands)."""
    item = object_of(request, object_id)
    with gate.turn(TEXELS, lambda: False, person=owner_of(request).pk, tab="condition"):
        return condition(*_of(item, year))


class SunOut(BaseModel):
    """Where the sun of the setting stands: degrees about up from +z towards +x, and above the horizon."""

    azimuth: float
    elevation: float


@router.get("/objects/{int:object_id}/sun", response={200: SunOut, 422: Problem})
def get_sun(
    request: HttpRequest,
    object_id: int,
    day: Annotated[float, Query(ge=1, le=366)] = 172.0,
    hour: Annotated[float, Query(ge=0, le=24)] = 12.0,
) -> SunOut:
    """The sun of the object's setting on a day of the year at a solar hour."""
    azimuth, elevation = sun_at(object_of(request, object_id).scene().setting, day, hour)
    return SunOut(azimuth=azimuth, elevation=elevation)


@router.get("/objects/{int:object_id}/condition.{kind}", include_in_schema=False)
def condition_file(request: HttpRequest, object_id: int, kind: Literal["pdf", "csv"], year: Year = None) -> Any:
    """The same as a page (with a picture) or as a table."""
    item = object_of(request, object_id)
    with gate.turn(TEXELS, lambda: False, person=owner_of(request).pk, tab="condition"):
        chronicle, scene = _of(item, year)
        found = condition(chronicle, scene)
        data = as_csv(found).encode("utf-8-sig") if kind == "csv" else as_pdf(found, portrait_on(chronicle, scene))
    response = HttpResponse(data, content_type="text/csv; charset=utf-8" if kind == "csv" else "application/pdf")
    response["Content-Disposition"] = f'attachment; filename="condition-{item.pk}-year-{found.year:g}.{kind}"'
    return response
