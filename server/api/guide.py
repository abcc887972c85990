"""The guide."""

from __future__ import annotations

from functools import lru_cache

from django.http import HttpRequest, HttpResponse
from django.utils.cache import patch_cache_control
from ninja import Query, Router

from limus.common.object_size import ObjectSize
from limus.guide.guide import GuideEntry, guide_for
from limus.guide.pictures import On, What
from limus.guide.shown_on import Level
from server.api.answers import Problem, sent_once, with_etag
from server.projects import guide_pictures

router = Router()


@router.get("/guide", response=list[GuideEntry])
def guide(
    request: HttpRequest, size_m: float = Query(1.0, gt=0, le=1e6, description="Diagonal of the object, metres")
) -> HttpResponse:
    """What everything is for, with its settings; defaults suit an object of ``size_m``."""
    return sent_once(request, *_guide_of(ObjectSize(size_m).rounded))


@lru_cache(maxsize=16)
def _guide_of(size: ObjectSize) -> tuple[bytes, str]:
    return with_etag("[" + ",".join(entry.model_dump_json() for entry in guide_for(size)) + "]")


@router.get("/guide/picture", response={200: None, 422: Problem}, include_in_schema=False)
def picture(
    request: HttpRequest,
    what: What,
    kind: str = Query(max_length=80),
    on: On = "box",
    level: Level = "default",
) -> HttpResponse:
    """PNG of an effect, a source or a base on a body."""
    response = HttpResponse(guide_pictures.picture(what, kind, on, level), content_type="image/png")
    patch_cache_control(response, private=True, max_age=86400)
    return response
