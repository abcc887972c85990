"""Running a job: progress out, cancel in, and what comes of it."""

from __future__ import annotations

import logging
import threading
import zipfile
from datetime import timedelta
from pathlib import Path

from django.conf import settings
from django.db import connection, transaction
from django.utils import timezone

from limus.delivery import deliver
from limus.errors import Cancelled, InputError
from limus.masks.stroke import load_stroke
from limus.readings.exposure import measure_exposure
from limus.readings.measured import measure
from limus.readings.ray_pass import RayPlan
from limus.scene import Scene, scene_from
from limus.surface.pyramid import texels_of
from server.jobs.models import Job
from server.projects import intake as intakes
from server.projects.models import Intake
from server.projects.workshop import RAYS, find, reading_size, workshop

log = logging.getLogger(__name__)
#: Seconds between looks at the database.
BEAT = 0.4
#: A running job that has not been heard of for this long is given to another worker.
STALE = timedelta(seconds=90)


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


def run(job_id: int, attempt: int) -> None:
    """Do job ``job_id`` if it is still queued for this attempt."""
    if not Job.objects.filter(pk=job_id, attempt=attempt, state=Job.QUEUED).update(
        state=Job.RUNNING, started=timezone.now(), heartbeat=timezone.now()
    ):
        return
    job = Job.objects.select_related("object", "intake", "intake__target").get(pk=job_id)
    watch = Watch(job_id, attempt)
    watch.start()
    result: dict[str, object] = {}
    try:
        if job.cancel_requested:
            raise Cancelled
        file = WORK[job.kind](job, watch)
        result = {"state": Job.DONE, "progress": 1.0, "word": "Done", "file": file}
    except Cancelled:
        result = {"state": Job.CANCELLED, "word": "Cancelled"}
    except InputError as error:
        result = {"state": Job.FAILED, "error": error.line}
    except MemoryError:
        result = {"state": Job.FAILED, "error": "There is not enough memory at this resolution. Choose a smaller one."}
    except Exception:
        log.exception("job %s failed", job_id)
        result = {
            "state": Job.FAILED,
            "error": "Something went wrong on the server; it is in the log. Try again, or choose a smaller resolution.",
        }
    finally:
        watch.stop()
    Job.objects.filter(pk=job_id, attempt=attempt).update(**result)
    if job.intake_id is not None and result.get("state") == Job.FAILED:
        # Whoever waits for the intake is told, whatever went wrong.
        Intake.objects.filter(pk=job.intake_id, state=Intake.CHECKING).update(state=Intake.FAILED, error=result["error"])


def _scene(job: Job) -> Scene:
    """The scene the job was started on; that of today where it was not noted."""
    assert job.object is not None
    return scene_from(job.options["document"], job.object.name) if "document" in job.options else job.object.scene()


def _measure(job: Job, watch: Watch) -> str:
    """A draft first, so that something can be seen in a second or two, then better ones up to the quality wished."""
    scene = _scene(job)
    watch.say(0.005, "Preparing the object")
    mesh = workshop().mesh(scene)
    mesh.need_uv()
    around = workshop().around(scene)
    wished = job.options.get("quality", "good")
    words = {"draft": "Draft readings", "good": "Measuring readings", "fine": "Measuring fine readings"}
    steps = {"draft": (0.01, 0.10), "good": (0.10, 1.0 if wished == "good" else 0.30), "fine": (0.30, 1.0)}
    for quality in ("draft", "good", "fine"):
        start, end = steps[quality]
        pairs, rays = RAYS[quality]
        texels = texels_of(mesh, reading_size(mesh, quality))
        turn = start + 0.7 * (end - start)
        watch.say(start, words[quality])
        measure(
            texels, RayPlan.for_mesh(mesh, pairs), around=around, progress=lambda s, a=start, b=turn: watch.say(a + (b - a) * s)
        )
        watch.say(turn, "Sun, rain and run-off")
        measure_exposure(
            texels, scene.setting, around, rays=rays, progress=lambda s, a=turn, b=end: watch.say(a + (b - a) * 0.99 * s)
        )
        watch.say(end)
        if quality == wished:
            break
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
    mesh = workshop().prepare(scene, lambda s: watch.say(0.02 + 0.9 * s))
    watch.say(0.95, "Looking at the new UVs")
    del mesh
    workshop().facts(scene)
    return ""


def _export(job: Job, watch: Watch) -> str:
    """All files of the delivery in one zip."""
    scene = _scene(job)
    files = deliver(
        scene,
        workshop().mesh(scene),
        job.options["target"],
        job.options["resolution"],
        bits=job.options.get("bits", 8),
        progress=watch.say,
        around=workshop().around(scene),
        files=find,
    )
    folder = Path(settings.DATA_DIR) / "deliveries"
    folder.mkdir(parents=True, exist_ok=True)
    name = f"deliveries/{job.pk}-{job.attempt}.zip"
    part = Path(settings.DATA_DIR) / f"{name}.part"
    try:
        # PNG does not get smaller by packing it again.
        with zipfile.ZipFile(part, "w", zipfile.ZIP_STORED) as out:
            for file in files:
                watch.say(0.98, f"Packing {file.name}")
                out.writestr(zipfile.ZipInfo(file.name, (1980, 1, 1, 0, 0, 0)), file.data)
            out.writestr(zipfile.ZipInfo("scene.json", (1980, 1, 1, 0, 0, 0)), _portable(scene).model_dump_json(indent=2))
            for drawn in sorted(drawn_files(scene)):
                out.writestr(zipfile.ZipInfo(drawn, (1980, 1, 1, 0, 0, 0)), find(drawn).read_bytes())
        part.replace(Path(settings.DATA_DIR) / name)
    finally:
        part.unlink(missing_ok=True)
    return name


def drawn_files(scene: Scene) -> set[str]:
    """Strokes and pictures that the scene names, and the pictures that its strokes are stamped with."""
    out = {name for name in scene.files.values() if name.startswith(("strokes/", "pictures/"))}
    stamps = {load_stroke(name, find).brush.picture for name in out if name.startswith("strokes/")}
    return out | {name for name in stamps if name}


def _portable(scene: Scene) -> Scene:
    """The scene with bare file names: paths of this server mean nothing elsewhere."""
    out = scene.model_copy(deep=True)
    for holder in (out.object, *out.object.neighbours, *([out.object.twin] if out.object.twin is not None else [])):
        holder.file = holder.file.rsplit("/", 1)[-1]
    return out


WORK = {"measure": _measure, "export": _export, "inspect": _inspect, "unwrap": _unwrap}


def start(job: Job) -> None:
    """Hand the job to the queue once the transaction is through."""
    from server.jobs.tasks import run_job

    transaction.on_commit(lambda: run_job.enqueue(job.pk, job.attempt))


def requeue_stale(*, everything: bool = False) -> int:
    """Queue running jobs again that nobody has heard of; at start-up (``everything``) all that claim to run."""
    count = 0
    running = Job.objects.filter(state=Job.RUNNING)
    if not everything:
        running = running.filter(heartbeat__lt=timezone.now() - STALE)
    for job in running:
        # Compare and set: only one process takes each job.
        if Job.objects.filter(pk=job.pk, attempt=job.attempt, state=Job.RUNNING).update(state=Job.QUEUED, attempt=job.attempt + 1):
            job.attempt += 1
            start(job)
            count += 1
    return count
