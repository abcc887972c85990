"""The store room of bases."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router
from pydantic import BaseModel, ConfigDict, Field

from server.api.answers import Problem, object_of, owner_of, project_of
from server.projects import store_room

router = Router()


class ShelfOut(BaseModel):
    """A base on the shelf."""

    name: str
    title: str
    about: str
    family: str
    own: bool
    favourite: bool


class ShelvesOut(BaseModel):
    """One page of what fits, and how many there are in all."""

    total: int
    page: int
    pages: int
    bases: list[ShelfOut]


@router.get("/store-room", response={200: ShelvesOut, 503: Problem})
def shelves(
    request: HttpRequest,
    query: str = Query("", max_length=120),
    family: str = Query("", max_length=40),
    own: bool = False,
    favourites: bool = False,
    page: int = Query(1, ge=1, le=100000),
    size: int = Query(12, ge=1, le=100),
) -> Any:
    """Bases that fit a search, page by page."""
    try:
        found = store_room.shelves(owner_of(request), query, family, own=own, favourites=favourites)
    except store_room.StoreRoomDown:
        return 503, _down()
    pages = max(1, -(-len(found) // size))
    page = min(page, pages)
    here = found[(page - 1) * size : page * size]
    return 200, ShelvesOut(total=len(found), page=page, pages=pages, bases=[ShelfOut(**asdict(s)) for s in here])


def _down() -> Problem:
    return Problem(
        message="The store room does not answer.", remedy="Try again in a moment; bases on the object stay as they are"
    )


@router.get("/store-room/picture", include_in_schema=False)
def picture(request: HttpRequest, name: str = Query(max_length=80)) -> HttpResponse:
    """A sample of a base."""
    try:
        data = store_room.picture_of(owner_of(request), name)
    except store_room.StoreRoomDown:
        return HttpResponse(_down().model_dump_json(), status=503, content_type="application/json")
    response = HttpResponse(data, content_type="image/png")
    response["Cache-Control"] = "private, max-age=3600"
    return response


class NameIn(BaseModel):
    """A base of the store room."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(max_length=80)
    on: bool = True


class EntryOut(BaseModel):
    """An entry for the bases of a scene."""

    base: dict[str, Any]


@router.post("/objects/{int:object_id}/store-room/take", response={200: EntryOut, 422: Problem})
def take(request: HttpRequest, object_id: int, body: NameIn) -> EntryOut:
    """The entry of a base for this object's scene; its files become those of the project too."""
    item = object_of(request, object_id)
    return EntryOut(base=store_room.taken(owner_of(request), body.name, item.project).model_dump(mode="json"))


@router.put("/store-room/favourite", response={204: None, 422: Problem})
def favourite(request: HttpRequest, body: NameIn) -> tuple[int, None]:
    """Keep a base at hand, or not any more."""
    store_room.like(owner_of(request), body.name, body.on)
    return 204, None


class PutIn(BaseModel):
    """A base of one's own: an entry of a scene, and the project its files are in."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80)
    base: dict[str, Any]
    project: int


@router.post("/store-room", response={201: ShelfOut, 422: Problem})
def put_in(request: HttpRequest, body: PutIn) -> tuple[int, ShelfOut]:
    """Put a base into the store room."""
    owner = owner_of(request)
    row = store_room.put_in(owner, body.name.strip(), body.base, project_of(request, body.project))
    name = f"own:{row.pk}"
    return 201, next(ShelfOut(**asdict(s)) for s in store_room.shelves(owner, own=True) if s.name == name)


@router.delete("/store-room", response={204: None, 422: Problem})
def take_out(request: HttpRequest, name: str = Query(max_length=80)) -> tuple[int, None]:
    """Take a base of one's own out again; scenes that use it keep it."""
    store_room.take_out(owner_of(request), name)
    return 204, None
