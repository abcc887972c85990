"""The API: one router for each subject. Every query is scoped to the signed-in user; bad input answers with one clear
line.
"""

from __future__ import annotations

import dataclasses
import re
from typing import Any

from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.core.exceptions import RequestDataTooBig
from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse
from ninja import NinjaAPI
from ninja.errors import HttpError, ValidationErrorContext
from ninja.parser import Parser
from ninja.security import django_auth

from limus.common.errors import Cancelled, InputError
from limus.common.refusal import first_refusal, refuse_odd_text
from server.api import (
    batches,
    catalogue,
    evaluation,
    findings,
    glimpses,
    guide,
    history,
    intakes,
    jobs,
    map_sets,
    moments,
    objects,
    offers,
    orders,
    photographs,
    pictures,
    projects,
    reports,
    store_room,
    tokens,
    treatments,
)
from server.api.asked import VersionGone
from server.projects.disk import disk_is_full, full_answer


class _Parser(Parser):
    """JSON whose texts are texts: a database cannot hold half a character."""

    def parse_body(self, request: HttpRequest) -> Any:
        """The parsed body; what it cannot be is noted for the answer, since the library asks for no reason."""
        try:
            found = super().parse_body(request)
        except RecursionError as error:
            request.limus_refusal = "it is nested too deeply"  # type: ignore[attr-defined]
            # Without what led here: the stack alone would fill the log.
            raise ValueError("nested too deeply") from error.with_traceback(None)
        except UnicodeDecodeError:
            request.limus_refusal = "it is not UTF-8 text"  # type: ignore[attr-defined]
            raise
        except ValueError as error:
            request.limus_refusal = f"it is not JSON ({str(error)[:80]})"  # type: ignore[attr-defined]
            raise
        # Written as such they are no JSON; they come as escapes or not at all.
        if b"\\u" in request.body:
            refuse_odd_text(found, "request")
        return found


class _Api(NinjaAPI):
    """Refusals of what is asked in the words of the core: one line, with the path, the value and what would be
    taken.
    """

    def validation_error_from_error_contexts(self, error_contexts: list[ValidationErrorContext]) -> Any:
        """What is raised for a request that does not fit; the first thing wrong."""
        found = first_refusal(error_contexts[0].pydantic_validation_error)
        # The first step is the name of our own argument, the second where a document begins.
        path = re.sub(r"^(body|query|path)\.?", "", found.path)
        for name, shown in (("document", "scene"), ("stroke", "stroke"), ("base", "base")):
            if re.match(rf"{name}(\.|\[)", path):
                return dataclasses.replace(found, path=path[len(name) :].lstrip(".")).error(shown)
        return dataclasses.replace(found, path=path).error("request")


api = _Api(
    title="Limus",
    version="1",
    auth=[tokens.ByToken(), django_auth],
    docs_url=None,
    docs_decorator=login_required,
    parser=_Parser(),
)
SUBJECTS = (
    catalogue, projects, intakes, objects, history, pictures, map_sets, store_room, treatments, evaluation, findings,
    glimpses, guide, photographs, moments, offers, reports,
    jobs, orders, tokens, batches,
)  # fmt: skip
for subject in SUBJECTS:
    api.add_router("", subject.router)


@api.exception_handler(InputError)
def _bad_input(request: HttpRequest, error: InputError) -> HttpResponse:
    return api.create_response(request, error.as_dict(), status=422)


@api.exception_handler(HttpError)
def _not_understood(request: HttpRequest, error: HttpError) -> HttpResponse:
    """What the library refuses by itself: mostly a body that is no JSON."""
    why = getattr(request, "limus_refusal", "")
    problem = f"the request cannot be read: {why}" if why else str(error.message).rstrip(".")
    return api.create_response(
        request, InputError(problem, where="request", remedy="Send it again").as_dict(), status=error.status_code
    )


@api.exception_handler(RequestDataTooBig)
def _too_large(request: HttpRequest, error: RequestDataTooBig) -> HttpResponse:
    most = settings.DATA_UPLOAD_MAX_MEMORY_SIZE >> 20
    found = InputError(f"the request has more than {most} MB", where="request", remedy="Send less at once")
    return api.create_response(request, found.as_dict(), status=413)


@api.exception_handler(RecursionError)
def _too_deep(request: HttpRequest, error: RecursionError) -> HttpResponse:
    found = InputError(
        "the document is nested too deeply", where="request", remedy="Send a document as 'limus schema' describes it"
    )
    return api.create_response(request, found.as_dict(), status=422)


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


@api.exception_handler(VersionGone)
def _gone(request: HttpRequest, error: VersionGone) -> HttpResponse:
    found = InputError("the version is not held here any more", where="base", remedy="Send the whole document once")
    return api.create_response(request, found.as_dict(), status=410)
