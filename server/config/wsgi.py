"""WSGI entry point."""

import os
import sys

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
#: A thread that comes out of compiled code takes up Python again at once, and not after somebody else's five
#: milliseconds: an answer goes in and out a few hundred times.
sys.setswitchinterval(0.0005)
application = get_wsgi_application()


def warm_up_once() -> None:
    """In the background, where LIMUS_WARM asks for it."""
    if os.environ.get("LIMUS_WARM") == "1":
        from server.projects import warm_up

        warm_up.in_background()
