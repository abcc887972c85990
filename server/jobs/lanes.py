"""Two lanes: what somebody waits for with nothing to look at yet, and what may take minutes. Each has processes of
its own.
"""

from __future__ import annotations

from django.conf import settings

from server.jobs.models import Job

#: A matter of seconds: looking at files that were dropped, and the draft readings of an object that is new.
SHORT = "short"
#: Good readings, exports, unwrapping.
LONG = "long"
_WORDS = {
    "measure": "measuring",
    "export": "an export",
    "batch": "a batch",
    "inspect": "looking at files",
    "unwrap": "unwrapping",
}


def lane_of(job: Job) -> str:
    """The queue a job belongs into now: a measurement begins with a draft and goes on in the other one."""
    if job.kind == "inspect" or (job.kind == "measure" and not job.options.get("drafted")):
        return SHORT
    return LONG


def waits_for(job: Job) -> str:
    """What a queued job waits for, in words; objects of others are not named."""
    before = (
        Job.objects.filter(state__in=[Job.QUEUED, Job.RUNNING], pk__lt=job.pk).select_related("object").order_by("pk")
    )
    ahead = [other for other in before if lane_of(other) == lane_of(job)]
    most = settings.SHORT_WORKERS if lane_of(job) == SHORT else settings.LONG_WORKERS
    running = next((other for other in ahead if other.state == Job.RUNNING), None)
    if len(ahead) < most:
        return "Starting"
    if running is None:
        return f"Waiting for {len(ahead)} others"
    what = _WORDS.get(running.kind, running.kind)
    if running.owner_id == job.owner_id and running.object is not None:
        what += f" of {running.object.name}"
    elif running.owner_id != job.owner_id:
        what += " for somebody else"
    more = len(ahead) - 1
    return f"Waiting for {what}" + (f" and {more} more" if more else "")
