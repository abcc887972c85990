"""On this machine only, the demo's user signs in by itself."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.contrib.auth import get_user_model, login
from django.http import HttpRequest, HttpResponse

DEMO_USER = "demo"


#: Headers that a proxy adds. A request that has one came from elsewhere, whatever address it seems to come from.
FORWARDED = ("HTTP_X_FORWARDED_FOR", "HTTP_FORWARDED", "HTTP_X_REAL_IP", "HTTP_X_FORWARDED_HOST", "HTTP_VIA")


class DemoSignInMiddleware:
    """Signs ``demo`` in for requests from loopback, when the demo runs and the server is bound to loopback.

    A page makes a session; a request of a program without cookies is answered without one, so that it leaves nothing
    behind.
    """

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        if (
            settings.DEMO_SIGN_IN
            and not request.user.is_authenticated
            and request.META.get("REMOTE_ADDR") in ("127.0.0.1", "::1")
            and not any(request.META.get(name) for name in FORWARDED)
            and not request.path.startswith("/static/")
        ):
            user = get_user_model().objects.filter(username=DEMO_USER).first()
            if user is not None:
                if request.path.startswith("/api/"):
                    request.user = user
                else:
                    login(request, user, backend="django.contrib.auth.backends.ModelBackend")
        return self.get_response(request)
