"""Who is here, and everything that the interface draws its controls from."""

from __future__ import annotations

from functools import lru_cache

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from ninja import Query, Router
from pydantic import BaseModel

from limus.catalogue.catalogue import catalogue_for
from limus.catalogue.entries import Catalogue
from limus.common.object_size import ObjectSize
from server.api.answers import owner_of, sent_once, with_etag

router = Router()


class SessionOut(BaseModel):
    """Who is signed in, and whether by themselves (demo)."""

    user: str
    demo: bool


@router.get("/session", response=SessionOut)
def session(request: HttpRequest) -> SessionOut:
    """Who is here."""
    return SessionOut(user=owner_of(request).get_username(), demo=settings.DEMO_SIGN_IN)


@router.get("/catalogue", response=Catalogue, by_alias=True)
def catalogue(
    request: HttpRequest, size_m: float = Query(1.0, gt=0, le=1e6, description="Diagonal of the object, metres")
) -> HttpResponse:
    """Effects, sources, readings and channels with the schemas of their fields; defaults and soft ranges suit an
    object of ``size_m``.
    """
    return sent_once(request, *catalogue_of(ObjectSize(size_m).rounded))


@lru_cache(maxsize=64)
def catalogue_of(size: ObjectSize) -> tuple[bytes, str]:
    """The catalogue as it is sent, and its ETag: the same for everybody, so it is made once for a size."""
    return with_etag(catalogue_for(size).model_dump_json(by_alias=True))
