"""Starting a job: it stands in the table, and the keeper finds it."""

from __future__ import annotations

from collections.abc import Callable

from django.conf import settings
from django.db import transaction

from server.jobs.models import Job

#: What does a job where there is no keeper (``settings.JOBS_AT_ONCE``); given by whoever can.
do: Callable[[int, int], None] | None = None


def start(job: Job) -> None:
    """The keeper finds it once the transaction is through; where there is none it is done then and there."""
    if settings.JOBS_AT_ONCE and do is not None:
        at_once = do
        transaction.on_commit(lambda: at_once(job.pk, job.attempt))
