"""The server as it is, and one address more: a new object of its own for a test of the page that mounts a stage."""

from __future__ import annotations

from django.http import HttpRequest, JsonResponse
from django.urls import path

from server.config.urls import urlpatterns as real
from server.projects.models import WorkObject
from tests.core.stories import short_story


def fresh(request: HttpRequest) -> JsonResponse:
    """The demo's hoist as a new object, with the short story or, on request, its own."""
    first = WorkObject.objects.select_related("project").earliest("id")
    made = WorkObject.objects.create(project=first.project, name=first.name)
    document = first.document
    if request.GET.get("story") != "whole":
        document = {**document, "layers": short_story().model_dump(mode="json")["layers"], "episodes": []}
    made.commit(None, document, "As made")
    return JsonResponse({"id": made.pk})


urlpatterns = [path("fresh", fresh), *real]
