"""Refuse uploads by their declared length, before a byte of them is read."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.http import HttpRequest, HttpResponse, JsonResponse


class UploadLimitMiddleware:
    """413 above ``settings.UPLOAD_LIMIT``; 411 for a PUT without a length."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.method in ("PUT", "POST", "PATCH"):
            declared = request.META.get("CONTENT_LENGTH")
            if request.method == "PUT" and not declared:
                return JsonResponse(
                    {"message": "The upload does not say how long it is. Send a Content-Length header."}, status=411
                )
            if declared and declared.isdigit() and int(declared) > settings.UPLOAD_LIMIT:
                limit = settings.UPLOAD_LIMIT >> 20
                return JsonResponse(
                    {"message": f"The file is larger than {limit} MB. Reduce it, or raise LIMUS_UPLOAD_LIMIT."},
                    status=413,
                )
        return self.get_response(request)
