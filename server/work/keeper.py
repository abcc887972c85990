"""The keeper of jobs: one process that splits off another for every job, and sees to it that none is lost, stuck or
endless.

The table of jobs is the queue. A job runs in a process of its own, with limits of time and memory, so that whatever a
file does to it does it to that process alone; cancelling ends the process. What was running when a process died is
begun again, three times at most.
"""

from __future__ import annotations

import logging
import os
import signal
import time
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import timedelta

from django.conf import settings
from django.db import OperationalError, connections
from django.utils import timezone

from limus.common.dying import die_with_parent
from server.jobs.lanes import LONG, SHORT, lane_of
from server.jobs.limits import limits_of
from server.jobs.models import Job
from server.projects import storage
from server.work import runner

log = logging.getLogger(__name__)
#: Seconds between looks at the table, that a job has to end by itself when it is cancelled, and between sweeps.
BEAT, GRACE, SWEEP = 0.2, 1.0, 3600.0
#: By how much long work is nicer to others than what answers them (nice(2)).
BEHIND = 10
#: A job that runs in none of our processes and was not heard of for this long was left behind by a keeper that is gone.
ORPHAN = timedelta(seconds=5)


@dataclass
class _Child:
    job: int
    attempt: int
    kind: str
    lane: str
    owner: int
    began: float = field(default_factory=time.monotonic)
    asked: float | None = None
    #: Why it was ended by us: "", "cancel" or "time".
    ended: str = ""


class Keeper:
    """Runs until told to stop; ``slots`` processes of each lane at most."""

    def __init__(self, slots: dict[str, int] | None = None) -> None:
        self.slots = slots or {SHORT: settings.SHORT_WORKERS, LONG: settings.LONG_WORKERS}
        self.children: dict[int, _Child] = {}
        self.stopping = False
        self._swept = time.monotonic()
        self._sweeper = 0

    def run(self) -> None:
        """Until ``stopping``; then the processes are ended, and their jobs wait for the next keeper."""
        while not self.stopping:
            try:
                self.look()
            except OperationalError:
                # The disk is full, or somebody holds the database: jobs go on, and the next look comes soon.
                log.warning("the table of jobs could not be read or written", exc_info=True)
                time.sleep(1.0)
            time.sleep(BEAT)
        for pid in list(self.children):
            self._end(pid)
            self._wait(pid)
        Job.objects.filter(pk__in=[c.job for c in self.children.values()], state=Job.RUNNING).update(heartbeat=None)

    def look(self) -> None:
        """One look: who ended, who is to be ended, who was left behind, who is next."""
        self._reap()
        self._watch()
        self._adopt()
        self._begin()
        if time.monotonic() - self._swept > SWEEP:
            self._swept = time.monotonic()
            self._sweeper = self._split(storage.sweep)

    # -- what goes on ------------------------------------------------------------------------------

    def _reap(self) -> None:
        if self._sweeper and os.waitpid(self._sweeper, os.WNOHANG)[0]:
            self._sweeper = 0
        for pid in list(self.children):
            done, status = os.waitpid(pid, os.WNOHANG)
            if not done:
                continue
            child = self.children.pop(pid)
            job = Job.objects.filter(pk=child.job, attempt=child.attempt, state=Job.RUNNING).first()
            if job is None:
                continue
            if child.ended == "cancel":
                runner.finish(job, Job.CANCELLED, word="Cancelled")
            elif child.ended == "time":
                minutes = max(1, round(limits_of(job.kind).seconds / 60))
                runner.finish(
                    job, Job.FAILED, error=f"It took longer than {minutes} minutes and was ended. {_SMALLER[job.kind]}"
                )
            else:
                runner.again(
                    job, f"Its process ended {runner.TIMES[min(job.tries, 3)]} ({_how(status)}). {_SMALLER[job.kind]}"
                )

    def _watch(self) -> None:
        asked = set(
            Job.objects.filter(pk__in=[c.job for c in self.children.values()], cancel_requested=True).values_list(
                "pk", flat=True
            )
        )
        # Of an intake or an object that was removed nothing is left to report to.
        alive = set(Job.objects.filter(pk__in=[c.job for c in self.children.values()]).values_list("pk", flat=True))
        now = time.monotonic()
        for pid, child in self.children.items():
            if child.job in asked or child.job not in alive:
                child.asked = child.asked or now
                if now - child.asked > GRACE and not child.ended:
                    child.ended = "cancel"
                    self._end(pid)
            elif now - child.began > limits_of(child.kind).seconds and not child.ended:
                child.ended = "time"
                self._end(pid)

    def _adopt(self) -> None:
        mine = [c.job for c in self.children.values()]
        for job in Job.objects.filter(state=Job.RUNNING).exclude(pk__in=mine):
            # A sign of life from the future was written under another clock: it is none.
            if job.heartbeat is None or abs(job.heartbeat - timezone.now()) > ORPHAN:
                if job.cancel_requested:
                    runner.finish(job, Job.CANCELLED, word="Cancelled")
                else:
                    runner.again(
                        job, f"The server was stopped {runner.TIMES[min(job.tries, 3)]} while it ran. Start it again."
                    )

    def _begin(self) -> None:
        waiting = list(Job.objects.filter(state=Job.QUEUED).order_by("pk"))
        for lane, most in self.slots.items():
            here = [job for job in waiting if lane_of(job) == lane]
            while here and sum(c.lane == lane for c in self.children.values()) < most:
                # Whoever has fewest running goes first, so that one person's readings do not wait behind another's
                # exports.
                busy = [c.owner for c in self.children.values() if c.lane == lane]
                job = min(here, key=lambda j: (busy.count(j.owner_id), j.pk))
                here.remove(job)
                if job.cancel_requested:
                    runner.finish(job, Job.CANCELLED, word="Cancelled")
                elif runner.claim(job):
                    self._start(job, lane)

    # -- processes ---------------------------------------------------------------------------------

    def _start(self, job: Job, lane: str) -> None:
        memory = limits_of(job.kind).memory

        def work() -> None:
            if lane == LONG:
                # What somebody looks at goes before what they wait for.
                os.nice(BEHIND)
            _limit(memory)
            runner.run(job.pk, job.attempt, claimed=True)

        self.children[self._split(work)] = _Child(job.pk, job.attempt, job.kind, lane, job.owner_id)

    def _split(self, work: object) -> int:
        """A process of its own that does ``work`` and ends; its number."""
        connections.close_all()
        here = os.getpid()
        pid = os.fork()
        if pid:
            return pid
        code = 1
        try:
            os.setsid()
            die_with_parent(here)
            for number in (signal.SIGTERM, signal.SIGINT):
                signal.signal(number, signal.SIG_DFL)
            work()  # type: ignore[operator]
            code = 0
        except BaseException:
            with suppress(BaseException):
                log.exception("a process of the keeper failed")
        finally:
            # Neither the keeper's own clean-up nor its buffers belong to this process.
            os._exit(code)

    @staticmethod
    def _end(pid: int) -> None:
        with suppress(OSError):
            os.killpg(pid, signal.SIGKILL)
        with suppress(OSError):
            os.kill(pid, signal.SIGKILL)

    @staticmethod
    def _wait(pid: int) -> None:
        with suppress(OSError):
            os.waitpid(pid, 0)


_SMALLER = {
    "inspect": "Reduce the object, or export it again.",
    "measure": "Reduce the object, or choose less fine readings.",
    "unwrap": "Reduce the object, or bring it in with UVs.",
    "export": "Choose a smaller resolution.",
    "batch": "Choose smaller resolutions, and start it again.",
}


def _how(status: int) -> str:
    """Why a process ended, in words."""
    if os.WIFSIGNALED(status):
        return "it was killed" if os.WTERMSIG(status) == signal.SIGKILL else f"signal {os.WTERMSIG(status)}"
    return f"code {os.WEXITSTATUS(status)}"


def _limit(memory: int) -> None:
    """Bound what this process may take beyond what it has."""
    import resource

    with suppress(OSError, ValueError, StopIteration):
        with open("/proc/self/status") as status:
            held = next(int(line.split()[1]) << 10 for line in status if line.startswith("VmData"))
        resource.setrlimit(resource.RLIMIT_DATA, (held + memory, held + memory))
