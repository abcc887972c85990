"""The API: one router for each subject. Every query is scoped to the signed-in user; bad input answers with one clear line."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.security import django_auth

from limus.errors import Cancelled, InputError
from server.api import (
    catalogue,
    evaluation,
    glimpses,
    history,
    intakes,
    jobs,
    map_sets,
    objects,
    pictures,
    projects,
    store_room,
    treatments,
)

api = NinjaAPI(title="Limus", version="1", auth=django_auth, docs_url=None)
SUBJECTS = (
    catalogue, projects, intakes, objects, history, pictures, map_sets, store_room, treatments, evaluation, glimpses, jobs,
)  # fmt: skip
for subject in SUBJECTS:
    api.add_router("", subject.router)


@api.exception_handler(InputError)
def _bad_input(request: HttpRequest, error: InputError) -> HttpResponse:
    return api.create_response(request, error.as_dict(), status=422)


@api.exception_handler(Cancelled)
def _superseded(request: HttpRequest, error: Cancelled) -> HttpResponse:
    return api.create_response(request, {"message": "A newer request took its place."}, status=409)
