"""Projects: objects and the history of their scenes."""

from django.apps import AppConfig


class ProjectsConfig(AppConfig):
    """Projects app."""

    name = "server.projects"
    label = "projects"
