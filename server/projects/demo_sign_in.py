"""On this machine only, the demo's user signs in by itself."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.http import HttpRequest, HttpResponse

DEMO_USER = "demo"


class DemoSignInMiddleware:
    """Signs ``demo`` in for requests from loopback, when the demo runs and the server is bound to loopback."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if (
            settings.DEMO_SIGN_IN
            and not request.user.is_authenticated
            and request.META.get("REMOTE_ADDR") in ("127.0.0.1", "::1")
            and not request.path.startswith("/static/")
        ):
            user = get_user_model().objects.filter(username=DEMO_USER).first()
            if user is not None:
                login(request, user, backend="django.contrib.auth.backends.ModelBackend")
        return self.get_response(request)
