"""Work: what does the jobs."""

from django.apps import AppConfig


class WorkConfig(AppConfig):
    """Work app."""

    name = "server.work"
    label = "work"

    def ready(self) -> None:
        """Where there is no keeper, jobs are done by whoever starts them."""
        from server.jobs import starting
        from server.work import runner

        starting.do = runner.run
