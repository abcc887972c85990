"""What may be wrong with the surface of an object."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router
from pydantic import BaseModel, ConfigDict, Field

from limus.common.errors import Cancelled
from limus.findings.finding import Found
from limus.findings.looking import findings_on
from server.api.answers import Problem, object_of, owner_of
from server.projects.gate import gate
from server.projects.workshop import session_of

router = Router()


class FindingsIn(BaseModel):
    """How finely to look, and which tab asks."""

    model_config = ConfigDict(extra="forbid")
    resolution: int = Field(512, ge=16, le=2048)
    ticket: int = Field(0, ge=0)
    client: str = Field("", max_length=40)


class FindingsOut(BaseModel):
    """``version``: what was looked at."""

    version: int
    findings: list[Found]


@router.post(
    "/objects/{int:object_id}/findings",
    response={200: FindingsOut, 409: Problem, 422: Problem, 425: Problem},
)
def look_for_findings(request: HttpRequest, object_id: int, body: FindingsIn) -> Any:
    """Everything that may be wrong with the saved scene, the gravest first, accepted ones as well. A newer request of
    the same tab makes an older one stop with 409.
    """
    item = object_of(request, object_id)
    session = session_of(item.scene())
    owner: int = owner_of(request).pk
    gate.newest(owner, f"findings {body.client}", body.ticket)

    def gone() -> bool:
        return gate.moved_on(owner, f"findings {body.client}", body.ticket)

    def check() -> None:
        if gone():
            raise Cancelled

    with gate.turn(
        body.resolution, lambda: session.is_warm(body.resolution), gone, person=owner, tab=f"findings {body.client}"
    ):
        check()
        readings = session.measuring.best()
        if readings is None:
            return 425, Problem(
                message="The object has not been measured yet. Measure it first.",
                remedy="Start a job of kind 'measure'",
            )
        weather = session.scene.asks_for_weather
        found = findings_on(session, session.chronicle(readings.measured, body.resolution, weather=weather), check)
    return 200, FindingsOut(version=item.head_id or 0, findings=found)
