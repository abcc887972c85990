"""WSGI entry point."""

import os

from django.core.wsgi import get_wsgi_application

os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
application = get_wsgi_application()

if os.environ.get("LIMUS_WARM") == "1":
    from server.projects import warm_up

    warm_up.in_background()
