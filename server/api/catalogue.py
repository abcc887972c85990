"""Who is here, and everything that the interface draws its controls from."""

from __future__ import annotations

import hashlib
from functools import lru_cache

from django.conf import settings
from django.http import HttpRequest, HttpResponse
from django.utils.cache import get_conditional_response, patch_cache_control
from ninja import Query, Router
from pydantic import BaseModel

from limus.catalogue.catalogue import catalogue_for
from limus.catalogue.entries import Catalogue
from limus.common.object_size import ObjectSize
from server.api.answers import owner_of

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
    body, etag = catalogue_of(ObjectSize(size_m).rounded)
    kept = get_conditional_response(request, etag=etag)
    response: HttpResponse = kept or HttpResponse(body, content_type="application/json", headers={"ETag": etag})
    patch_cache_control(response, private=True, no_cache=True)
    return response


@lru_cache(maxsize=64)
def catalogue_of(size: ObjectSize) -> tuple[bytes, str]:
    """The catalogue as it is sent, and its ETag: the same for everybody, so it is made once for a size."""
    body = catalogue_for(size).model_dump_json(by_alias=True).encode()
    return body, f'"{hashlib.sha256(body).hexdigest()[:24]}"'
