"""When the disk is full: said so, wherever it happens."""

from __future__ import annotations

import errno
import sqlite3
from collections.abc import Callable

from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse, JsonResponse

DISK_FULL = "The disk of the server is full. Make room on it."


def disk_is_full(error: BaseException | None) -> bool:
    """Whether an error, or what it came from, says that no space is left."""
    while error is not None:
        if isinstance(error, OSError) and error.errno in (errno.ENOSPC, errno.EDQUOT):
            return True
        if isinstance(error, (DatabaseError, sqlite3.Error)) and any(
            word in str(error) for word in ("disk is full", "disk I/O error")
        ):
            return True
        error = error.__cause__
    return False


class DiskFullMiddleware:
    """Answers 507 with one line in place of a bare 500, to the application as JSON and to a person as a page."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        return self.get_response(request)

    def process_exception(self, request: HttpRequest, error: Exception) -> HttpResponse | None:
        """Django asks for every view that raised."""
        return full_answer(request) if disk_is_full(error) else None


def full_answer(request: HttpRequest) -> HttpResponse:
    """507 Insufficient Storage."""
    if request.path.startswith("/api/"):
        return JsonResponse(
            {"message": DISK_FULL, "problem": "the disk is full", "where": "server", "remedy": "Make room"}, status=507
        )
    return HttpResponse(f"{DISK_FULL} Then load this page again.", status=507, content_type="text/plain")
