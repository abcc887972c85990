"""The one page of the application; everything on it is drawn by the scripts it loads."""

from __future__ import annotations

import json
from pathlib import Path

from django.conf import settings
from django.contrib.auth.decorators import login_required
from django.http import HttpRequest, HttpResponse
from django.shortcuts import render
from django.views.decorators.cache import never_cache
from django.views.decorators.csrf import ensure_csrf_cookie


def _built() -> dict[str, object] | None:
    manifest = Path(settings.WEB_DIST) / "manifest.json"
    try:
        entries = json.loads(manifest.read_text())
    except (OSError, ValueError):
        return None
    entry = entries["index.html"]
    styles = list(entry.get("css", []))
    for name in entry.get("imports", []):
        styles += entries[name].get("css", [])
    return {
        "script": entry["file"],
        "styles": styles,
        "preload": [entries[n]["file"] for n in entry.get("imports", [])],
    }


@never_cache
@login_required
@ensure_csrf_cookie
def application(request: HttpRequest) -> HttpResponse:
    """The application, or a line that says how to build it."""
    built = _built()
    if built is None:
        return HttpResponse(
            "The interface has not been built. Run 'make setup'.", status=503, content_type="text/plain"
        )
    return render(request, "application.html", built)
