"""Orders that somebody keeps, and a look at a map before it is written."""

from __future__ import annotations

import base64

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from ninja import Router
from pydantic import BaseModel, ConfigDict, Field

from limus.common.errors import InputError
from limus.common.refusal import refuse_odd_text
from limus.targets.order import Order, order_from
from limus.targets.preview import previewed
from server.api.answers import Problem, object_of, owner_of
from server.projects.gate import gate
from server.projects.models import KeptOrder
from server.projects.workshop import session_of

router = Router()
MOST = 100
#: Pixels along a side of a map that is only looked at.
SHOWN = 256


class OrderIn(BaseModel):
    """An order to keep under a name; one of that name is replaced."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    order: Order


class OrderOut(BaseModel):
    """One that is kept; ``trouble``: why it cannot be used any more."""

    id: int
    name: str
    order: Order | None
    trouble: str


def _out(row: KeptOrder) -> OrderOut:
    try:
        return OrderOut(id=row.pk, name=row.name, order=order_from(row.document), trouble="")
    except InputError as error:
        return OrderOut(id=row.pk, name=row.name, order=None, trouble=error.line)


@router.get("/orders", response=list[OrderOut])
def orders(request: HttpRequest) -> list[OrderOut]:
    """One's own, in all projects."""
    return [_out(row) for row in KeptOrder.objects.filter(owner_id=owner_of(request).pk)]


@router.post("/orders", response={201: OrderOut, 422: Problem})
def keep_order(request: HttpRequest, body: OrderIn) -> tuple[int, OrderOut]:
    """Keep one."""
    name = " ".join(body.name.split())
    refuse_odd_text(name, "name")
    if not name:
        raise InputError("it needs a name", where="name", remedy="Say what it is for")
    mine = KeptOrder.objects.filter(owner_id=owner_of(request).pk)
    if mine.exclude(name=name).count() >= MOST:
        raise InputError(f"there are {MOST} already", where="orders", remedy="Remove one that is not used")
    document = body.order.model_dump(mode="json", exclude_defaults=True)
    row, _ = KeptOrder.objects.update_or_create(
        owner_id=owner_of(request).pk, name=name, defaults={"document": document}
    )
    return 201, _out(row)


@router.delete("/orders/{int:order_id}", response={204: None})
def drop_order(request: HttpRequest, order_id: int) -> tuple[int, None]:
    """Forget one."""
    get_object_or_404(KeptOrder, pk=order_id, owner=owner_of(request)).delete()
    return 204, None


class LookIn(BaseModel):
    """A file of the listing to look at."""

    model_config = ConfigDict(extra="forbid")
    order: Order
    file: str = Field(max_length=400)


class LookOut(BaseModel):
    """How a map will look, and the numbers of its components over the surface, in its unit."""

    file: str
    picture: str = Field(description="PNG, base64")
    components: list[str]
    lowest: list[float]
    mean: list[float]
    highest: list[float]
    unit: str
    about: str


@router.post("/objects/{int:object_id}/delivery/look", response={200: LookOut, 422: Problem})
def look_at_map(request: HttpRequest, object_id: int, body: LookIn) -> LookOut:
    """A map of an export before it is written, small."""
    session = session_of(object_of(request, object_id).scene())
    with gate.turn(SHOWN, lambda: session.is_warm(SHOWN)):
        found = previewed(session, body.order, body.file, SHOWN)
    return LookOut(
        file=body.file, picture=base64.b64encode(found.png).decode(), components=list(found.components),
        lowest=found.lowest, mean=found.mean, highest=found.highest, unit=found.unit, about=found.about,
    )  # fmt: skip
