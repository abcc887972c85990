"""The task that the queue runs."""

from django_tasks import task

from server.jobs import runner


@task()
def run_job(job_id: int, attempt: int) -> None:
    """Run one job in a worker."""
    runner.run(job_id, attempt)
