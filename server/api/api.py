"""The API: one router for each subject. Every query is scoped to the signed-in user; bad input answers with one clear line."""

from __future__ import annotations

import dataclasses
import re
from typing import Any

from django.contrib.auth.decorators import login_required
from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import ValidationErrorContext
from ninja.parser import Parser
from ninja.security import django_auth

from limus.errors import Cancelled, InputError
from limus.refusal import first_refusal, refuse_odd_text
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
from server.projects.disk import disk_is_full, full_answer


class _Parser(Parser):
    """JSON whose texts are texts: a database cannot hold half a character."""

    def parse_body(self, request: HttpRequest) -> Any:
        """The parsed body."""
        found = super().parse_body(request)
        # Written as such they are no JSON; they come as escapes or not at all.
        if b"\\u" in request.body:
            refuse_odd_text(found, "request")
        return found


class _Api(NinjaAPI):
    """Refusals of what is asked in the words of the core: one line, with the path, the value and what would be taken."""

    def validation_error_from_error_contexts(self, error_contexts: list[ValidationErrorContext]) -> Any:
        """What is raised for a request that does not fit; the first thing wrong."""
        found = first_refusal(error_contexts[0].pydantic_validation_error)
        # The first step is the name of our own argument, the second where a document begins.
        path = re.sub(r"^(body|query|path)\.?", "", found.path)
        for name, shown in (("document", "scene"), ("stroke", "stroke"), ("base", "base")):
            if re.match(rf"{name}(\.|\[)", path):
                return dataclasses.replace(found, path=path[len(name) :].lstrip(".")).error(shown)
        return dataclasses.replace(found, path=path).error("request")


api = _Api(title="Limus", version="1", auth=django_auth, docs_url=None, docs_decorator=login_required, parser=_Parser())
SUBJECTS = (
    catalogue, projects, intakes, objects, history, pictures, map_sets, store_room, treatments, evaluation, glimpses, jobs,
)  # fmt: skip
for subject in SUBJECTS:
    api.add_router("", subject.router)


@api.exception_handler(InputError)
def _bad_input(request: HttpRequest, error: InputError) -> HttpResponse:
    return api.create_response(request, error.as_dict(), status=422)


@api.exception_handler(OSError)
@api.exception_handler(DatabaseError)
def _no_room(request: HttpRequest, error: Exception) -> HttpResponse:
    """A full disk is said; anything else is a fault, and goes the way of faults."""
    if disk_is_full(error):
        return full_answer(request)
    raise error


@api.exception_handler(Cancelled)
def _superseded(request: HttpRequest, error: Cancelled) -> HttpResponse:
    return api.create_response(request, {"message": "A newer request took its place."}, status=409)
