"""Running a job: progress out, cancel in, and what comes of it."""

from __future__ import annotations

import logging
import threading
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import connection
from django.db.models import F
from django.utils import timezone

from limus.common.errors import Cancelled, InputError
from limus.document.scene import Scene, scene_from
from limus.readings.kept import noting
from limus.targets.delivery import delivery_room
from limus.targets.order import Order, order_from
from limus.targets.packing import packed, write_zip
from server.jobs.lanes import SHORT, lane_of
from server.jobs.limits import ATTEMPTS
from server.jobs.models import Job
from server.jobs.starting import start
from server.projects import batches, storage
from server.projects import intake as intakes
from server.projects.disk import DISK_FULL, disk_is_full
from server.projects.models import Intake, SceneVersion, StaleEdit, WorkObject
from server.projects.workshop import facts_of, session_of

log = logging.getLogger(__name__)
#: Seconds between looks at the database.
BEAT = 0.4


class GoOn(Exception):
    """The job goes on in the other queue, with these options."""

    def __init__(self, options: dict[str, object]) -> None:
        super().__init__()
        self.options = options


class Watch(threading.Thread):
    """Carries progress to the database and the wish to cancel back, from a thread of its own.

    The computation only sets two attributes, so it never waits for the database.
    """

    def __init__(self, job_id: int, attempt: int) -> None:
        super().__init__(daemon=True, name=f"job {job_id}")
        self.job_id, self.attempt = job_id, attempt
        self.share, self.word = 0.0, ""
        self.cancelled = False
        self._over = threading.Event()

    def say(self, share: float, word: str = "") -> None:
        """Report progress 0..1; raises ``Cancelled`` when the user asked for it."""
        if self.cancelled:
            raise Cancelled
        self.share = max(self.share, share)
        self.word = word or self.word

    def run(self) -> None:
        """Until stopped: write progress, read the wish to cancel."""
        try:
            while not self._over.wait(BEAT):
                mine = Job.objects.filter(pk=self.job_id, attempt=self.attempt, state=Job.RUNNING)
                if (
                    not mine.update(progress=self.share, word=self.word, heartbeat=timezone.now())
                    or mine.filter(cancel_requested=True).exists()
                ):
                    self.cancelled = True
        finally:
            connection.close()

    def stop(self) -> None:
        """End the thread."""
        self._over.set()
        self.join(5)


#: How often, in words.
TIMES = {0: "once", 1: "once", 2: "twice", 3: "three times"}


def claim(job: Job) -> bool:
    """Take a queued job; False where somebody else was quicker."""
    now = timezone.now()
    taken = Job.objects.filter(pk=job.pk, attempt=job.attempt, state=Job.QUEUED).update(
        state=Job.RUNNING, started=now, heartbeat=now, tries=F("tries") + 1
    )
    return bool(taken)


def finish(job: Job, state: str, **more: Any) -> None:
    """Note how a job ended, unless another attempt has begun meanwhile; whoever waits for its intake is told."""
    if not Job.objects.filter(pk=job.pk, attempt=job.attempt).update(state=state, **more):
        return
    if job.intake_id is not None and state in (Job.FAILED, Job.CANCELLED):
        Intake.objects.filter(pk=job.intake_id, state=Intake.CHECKING).update(
            state=Intake.FAILED, error=more.get("error") or "It was cancelled. Look at the files again."
        )


def again(job: Job, why: str) -> None:
    """Begin a job again whose process died; after ``ATTEMPTS`` it has failed, and ``why`` says so."""
    if job.tries >= ATTEMPTS:
        finish(job, Job.FAILED, error=why)
    else:
        # Compare and set: a process that was thought dead may not report any more.
        Job.objects.filter(pk=job.pk, attempt=job.attempt, state=Job.RUNNING).update(
            state=Job.QUEUED, attempt=job.attempt + 1
        )


def run(job_id: int, attempt: int, *, claimed: bool = False) -> None:
    """Do job ``job_id`` if it is still queued for this attempt, or ``claimed`` by who calls."""
    job = (
        Job.objects.select_related("object", "intake", "intake__target", "project", "owner")
        .filter(pk=job_id, attempt=attempt)
        .first()
    )
    if job is None or not (claimed or claim(job)):
        return
    watch = Watch(job_id, attempt)
    watch.start()
    state, more = Job.FAILED, {}
    touched: set[str] = set()
    try:
        if job.cancel_requested:
            raise Cancelled
        with noting() as touched:
            file = WORK[job.kind](job, watch)
        size = (Path(settings.DATA_DIR) / file).stat().st_size if file else 0
        state, more = Job.DONE, {"progress": 1.0, "word": "Done", "file": file, "size": size}
    except GoOn as further:
        state = Job.QUEUED
        more = {"options": further.options, "attempt": attempt + 1, "progress": watch.share, "tries": 0}
    except Cancelled:
        state, more = Job.CANCELLED, {"word": "Cancelled"}
    except InputError as error:
        more = {"error": error.line}
    except MemoryError:
        more = {"error": "There is not enough memory for this. Choose a smaller resolution, or reduce the object."}
    except Exception as error:
        if disk_is_full(error):
            more = {"error": f"{DISK_FULL} Then start it again."}
        else:
            log.exception("job %s failed", job_id)
            more = {
                "error": "Something went wrong on the server; it is in the log. Try again, or choose a smaller "
                "resolution."
            }
    finally:
        watch.stop()
    if job.object_id is not None and touched:
        storage.note_kept(job.object_id, touched, whole=job.kind == "measure" and state == Job.DONE)
    finish(job, state, **more)
    if state == Job.QUEUED:
        start(Job.objects.get(pk=job_id))


def _scene(job: Job) -> Scene:
    """The scene the job was started on; that of today where it was not noted."""
    assert job.object is not None
    if "document" in job.options:
        return scene_from(job.options["document"], job.object.name)
    version = SceneVersion.objects.filter(pk=job.options.get("version", 0), object=job.object).first()
    return scene_from(version.document, job.object.name) if version is not None else job.object.scene()


def _measure(job: Job, watch: Watch) -> str:
    """A draft first, so that something can be seen in a second or two; then better ones, where nobody who is new has
    to wait for them.
    """
    session = session_of(_scene(job))
    if lane_of(job) == SHORT:
        session.measure("draft", watch.say)
        raise GoOn({**job.options, "drafted": True})
    session.measure(job.options.get("quality", "good"), watch.say)
    return ""


def _inspect(job: Job, watch: Watch) -> str:
    """Look at the files of an intake."""
    assert job.intake is not None
    watch.say(0.1, "Looking at the files")
    intakes.check(job.intake)
    return ""


def _unwrap(job: Job, watch: Watch) -> str:
    """Make UVs; the scene takes them up once they are there."""
    scene = _scene(job)
    watch.say(0.02, "Unwrapping")
    scene.object.uv = "unwrapped"
    session = session_of(scene)
    session.prepare(lambda s: watch.say(0.02 + 0.9 * s))
    watch.say(0.95, "Looking at the new UVs")
    facts_of(session)
    if job.options.get("take_up"):
        _take_up_uvs(job)
    return ""


def _take_up_uvs(job: Job) -> None:
    """Put the new UVs into the scene as it is by now: somebody may have gone on with it while they were made."""
    for _ in range(5):
        item = WorkObject.objects.filter(pk=job.object_id).first()
        if item is None or item.document["object"]["uv"] == "unwrapped":
            return
        document = {**item.document, "object": {**item.document["object"], "uv": "unwrapped"}}
        try:
            item.commit(item.head_id, document, "Unwrap")
        except StaleEdit:
            continue
        return


def order_of(job: Job) -> Order:
    """What an export is to be; jobs of older editions say it field by field."""
    given = job.options.get("order")
    if given is None:
        fields = ("target", "resolution", "bits", "masks", "packed")
        given = {field: job.options[field] for field in fields if field in job.options}
    return order_from(given)


def _export(job: Job, watch: Watch) -> str:
    """All files of the delivery in one zip."""
    scene = _scene(job)
    assert job.object is not None
    # Asked once more, whatever was let in when it was saved.
    intakes.own_files_only(scene, job.object.project)
    name = f"deliveries/{job.pk}-{job.attempt}.zip"
    with delivery_room(Path(settings.DATA_DIR) / "deliveries") as room:
        files, _ = packed(
            session_of(scene),
            order_of(job),
            progress=watch.say,
            room=room,
        )
        write_zip(files, Path(settings.DATA_DIR) / name)
    return name


def _batch(job: Job, watch: Watch) -> str:
    """The rows of a sheet."""
    return batches.do(job, watch.say)


WORK = {"batch": _batch, "measure": _measure, "export": _export, "inspect": _inspect, "unwrap": _unwrap}
