"""Long work: what it is, how far it is, and what came of it."""

from __future__ import annotations

from django.conf import settings
from django.db import models


class Job(models.Model):
    """One piece of long work on an object, an intake, or all of a project.

    ``attempt`` fences writes: a worker that was thought dead may not report on a job that was given to another.
    """

    QUEUED, RUNNING, DONE, FAILED, CANCELLED = "queued", "running", "done", "failed", "cancelled"

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="jobs")
    object = models.ForeignKey("projects.WorkObject", null=True, on_delete=models.CASCADE, related_name="jobs")
    intake = models.ForeignKey("projects.Intake", null=True, on_delete=models.CASCADE, related_name="jobs")
    project = models.ForeignKey("projects.Project", null=True, on_delete=models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=20)
    options = models.JSONField(default=dict)
    state = models.CharField(max_length=12, default=QUEUED)
    progress = models.FloatField(default=0.0)
    word = models.CharField(max_length=120, blank=True)
    cancel_requested = models.BooleanField(default=False)
    error = models.TextField(blank=True)
    file = models.CharField(max_length=200, blank=True, help_text="Relative to the data folder")
    attempt = models.PositiveIntegerField(default=0)
    tries = models.PositiveIntegerField(default=0, help_text="How often a process began this step of it")
    size = models.BigIntegerField(default=0, help_text="Bytes of the file")
    created = models.DateTimeField(auto_now_add=True)
    started = models.DateTimeField(null=True)
    heartbeat = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.kind} {self.state}"
