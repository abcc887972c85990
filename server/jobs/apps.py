"""Jobs: long work with progress and cancel."""

from django.apps import AppConfig


class JobsConfig(AppConfig):
    """Jobs app."""

    name = "server.jobs"
    label = "jobs"
