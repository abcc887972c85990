"""One password tried against many names: an address that failed often is made to wait, whatever names it used."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta

from axes.helpers import get_client_ip_address
from axes.models import AccessAttempt
from django.db.models import Sum
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.utils import timezone

#: Failures of one address within the time after which it has to wait.
MOST, WITHIN = 20, timedelta(minutes=15)


class SlowSignInMiddleware:
    """429 for sign-ins of an address with too many failures; eight for one name are handled by django-axes."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if request.method == "POST" and request.path == "/sign-in/":
            recent = AccessAttempt.objects.filter(
                ip_address=get_client_ip_address(request), attempt_time__gt=timezone.now() - WITHIN
            )
            if (recent.aggregate(all=Sum("failures_since_start"))["all"] or 0) >= MOST:
                response = render(
                    request, "sign-in-later.html", {"minutes": int(WITHIN.total_seconds() // 60)}, status=429
                )
                response["Retry-After"] = str(int(WITHIN.total_seconds()))
                return response
        return self.get_response(request)
