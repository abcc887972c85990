"""Taking files in: received to disk piece by piece, looked at, then accepted into the project or discarded."""

from __future__ import annotations

import copy
import hashlib
import os
import re
import shutil
import tempfile
from collections import OrderedDict
from collections.abc import Iterable
from pathlib import Path
from typing import Any, Literal

from django.conf import settings
from django.db import transaction

from limus.commands.neighbours import AddNeighbour
from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.named_files import named_files
from limus.common.store import shared
from limus.document.replacement import compare, with_parts_renamed
from limus.document.scene import Scene
from limus.formats.bundle import Limits, object_in, unpack_all
from limus.formats.peek import claimed_triangles
from limus.formats.read import COMPANIONS, METRES, SUFFIXES, format_of, read_object, usual_up
from limus.intake.inspection import inspection
from limus.intake.object_file import ObjectFile, Twin
from limus.readings.setting import Setting
from limus.surface.mesh import Mesh
from server.jobs.models import Job
from server.jobs.starting import start
from server.projects import storage
from server.projects.data_files import files_in, find_received, is_exact
from server.projects.models import Intake, Project, SourceFile, StaleEdit, WorkObject

#: What is on its way ends in this.
PART = ".part"
#: Bytes of the name of a file: 255 on most file systems, with room for what is put before and behind it.
MOST_NAME = 180


def clean_name(name: str) -> str:
    """The last piece of a path, with only letters, digits, blanks, dots, dashes and brackets."""
    kept = re.sub(r"[^\w .()-]+", "", name.replace("\\", "/").rsplit("/", 1)[-1]).strip(" .") or "object"
    stem, suffix = Path(kept).stem, Path(kept).suffix[:12]
    # File systems count bytes, and most letters of the world take two or three.
    while len((stem + suffix).encode()) > MOST_NAME:
        stem = stem[:-1]
    return stem.rstrip(" .") + suffix or "object"


def receive(intake: Intake, name: str, pieces: Iterable[bytes]) -> Path:
    """Write one file of an intake to disk as it comes; an upload that breaks off leaves nothing behind.

    Raises
    ------
    InputError : not a kind of file that belongs to an object, or more bytes than the limit.
    """
    name = clean_name(name)
    suffix = Path(name).suffix.lower()
    if suffix not in (*SUFFIXES, *COMPANIONS):
        raise InputError(
            f"'{suffix or name}' files are not taken in here",
            where=name,
            remedy=f"Bring an object ({', '.join(SUFFIXES)}), with its textures beside it or zipped",
        )
    folder = intake.folder
    folder.mkdir(parents=True, exist_ok=True)
    # Of its own even where two files of one name come at once; the later one stays.
    handle, there = tempfile.mkstemp(dir=folder, suffix=PART)
    part = Path(there)
    size = sum(f.stat().st_size for f in folder.iterdir())
    room = storage.room_for(intake.project.owner)
    try:
        with os.fdopen(handle, "wb") as out:
            for piece in pieces:
                size += len(piece)
                room -= len(piece)
                if room < 0:
                    storage.need_room(intake.project.owner, len(piece), name)
                if size > settings.UPLOAD_LIMIT:
                    raise InputError(
                        f"more than {settings.UPLOAD_LIMIT >> 20} MB in all",
                        where=name,
                        remedy="Reduce it, or raise LIMUS_UPLOAD_LIMIT",
                    )
                out.write(piece)
        part.replace(folder / name)
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    return folder / name


def check(intake: Intake) -> None:
    """Look at what was received and note it in ``facts`` (and ``report`` for a replacement).

    Raises
    ------
    InputError : nothing usable; also noted in ``error``.
    """
    try:
        folder = intake.folder
        if not folder.is_dir():
            raise InputError("nothing was received", where="intake", remedy="Send the files again")
        for left in folder.glob(f"*{PART}"):
            # An upload that broke off with its server.
            left.unlink(missing_ok=True)
        zips = [p for p in folder.iterdir() if p.suffix.lower() == ".zip"]
        # What all of them unpack to counts together.
        room = min(settings.UPLOAD_LIMIT * 2, storage.room_for(intake.project.owner))
        for path in zips:
            before = storage.size_of(folder)
            unpack_all(path, folder, path.name, Limits(size=max(room, 0)))
            room -= storage.size_of(folder) - before
            path.unlink()
        main = object_in(folder, ", ".join(p.name for p in zips) or "the files received")
        shown = main.name
        # By its own header first, so that a file far too large is not read at all.
        _few_enough(claimed_triangles(main, shown) or 0, shown)
        mesh = read_object(main, name=shown)
        _few_enough(len(mesh.triangles), shown)
        intake.facts = _looked_at(mesh, main, intake)
        if intake.target is not None and intake.purpose == Intake.REPLACE:
            from server.projects.workshop import facts_of, session_of

            scene = intake.target.scene()
            document = scene.object.model_copy(
                update={"file": _relative(main), "turned": [], "two_sided": [], "subdivide_mm": None}
            )
            as_it_came = scene.model_copy(update={"object": document.model_copy(update={"uv": "own"})})
            same = session_of(as_it_came, find_received).mesh
            new = inspection(same, unit_known=True)
            intake.report = compare(scene, facts_of(session_of(scene)), new).as_dict()
        intake.main = str(main.relative_to(folder))
        intake.state, intake.error = Intake.READY, ""
    except InputError as error:
        intake.state, intake.error = Intake.FAILED, error.line
        intake.save()
        raise
    intake.save()


def _few_enough(triangles: int, name: str) -> None:
    if triangles > settings.TRIANGLE_LIMIT:
        raise InputError(
            f"{triangles} triangles are more than the limit {settings.TRIANGLE_LIMIT}",
            where=name,
            remedy="Reduce the mesh, or raise LIMUS_TRIANGLE_LIMIT",
        )


def _relative(path: Path) -> str:
    return str(path.relative_to(Path(settings.DATA_DIR)))


def _looked_at(mesh: Mesh, main: Path, intake: Intake) -> dict[str, Any]:
    known = format_of(main) in METRES
    # The same file is often brought again: as a newer version, or after it was discarded.
    found: dict[str, Any] = shared().get(
        key_of("inspection", mesh.key, mesh.source, mesh.notes, known), lambda: inspection(mesh, unit_known=known)
    )
    facts = copy.deepcopy(found)
    facts["suggested_up"] = usual_up(main)
    facts["file"] = main.name
    return facts


def accept(
    intake: Intake,
    *,
    name: str = "",
    scale: float = 1.0,
    up: str = "+y",
    unwrap: bool = False,
    turn: bool = False,
    match: dict[str, str] | None = None,
    base: int | None = None,
    scene: Scene | None = None,
) -> WorkObject:
    """Move the files into the project and make an object of them, or put them into the object they are meant for.

    Raises
    ------
    InputError : it is not ready. StaleEdit : the object changed since version ``base``; nothing is changed, the
        intake stays.
    """
    # Compare and set: whoever accepts it twice at once is told the second time.
    if intake.state != Intake.READY or not Intake.objects.filter(pk=intake.pk, state=Intake.READY).update(
        state=Intake.TAKING
    ):
        raise InputError(
            "the files are not ready, or taken in already",
            where="intake",
            remedy="Wait for the check, or send them again",
        )
    try:
        return _accepted(intake, name, scale, up, unwrap, turn, match, base, scene)
    except BaseException:
        Intake.objects.filter(pk=intake.pk, state=Intake.TAKING).update(state=Intake.READY)
        raise


def _accepted(
    intake: Intake,
    name: str,
    scale: float,
    up: str,
    unwrap: bool,
    turn: bool,
    match: dict[str, str] | None,
    base: int | None,
    scene: Scene | None,
) -> WorkObject:
    main = intake.folder / intake.main
    unit_known = format_of(main) in METRES
    if intake.target is not None and (intake.target.head_id != base):
        raise StaleEdit
    digest = hashlib.blake2b(digest_size=16)
    for path in sorted(p for p in intake.folder.rglob("*") if p.is_file()):
        digest.update(str(path.relative_to(intake.folder)).encode() + b"\0")
        with path.open("rb") as file:
            while block := file.read(1 << 20):
                digest.update(block)
    # Files first, as links to those of the intake: a kill at any moment leaves rows whose files are there, or files
    # without rows, which are swept away.
    home = Path(settings.DATA_DIR) / "objects" / digest.hexdigest()
    _linked(intake.folder, home)
    path = f"objects/{digest.hexdigest()}/{intake.main}"
    with transaction.atomic():
        SourceFile.objects.get_or_create(
            project=intake.project,
            path=path,
            defaults={
                "name": intake.facts["file"][:200],
                "unit_known": unit_known,
                "size": storage.size_of(intake.folder),
            },
        )
        turned = list(intake.facts["mesh"]["inside_out"]) if turn else []
        if intake.target is None:
            made = scene or Scene(object=ObjectFile(file="-"), name=(name or Path(intake.main).stem)[:120])
            made.object = made.object.model_copy(
                update={
                    "file": path,
                    "scale": scale,
                    "turned": turned or made.object.turned,
                    "uv": "tiles" if intake.facts.get("tiles") and made.object.uv == "own" else made.object.uv,
                }
            )
            if scene is None:
                made.setting = Setting.model_validate({**made.setting.model_dump(), "up": up})
            item = WorkObject.objects.create(project=intake.project, name=made.name)
            item.commit(None, made.model_dump(mode="json"), "As made")
            if unwrap:
                unwrap_soon(item)
        else:
            item = intake.target
            now = item.scene()
            if intake.purpose == Intake.TWIN:
                now.object.twin = Twin(file=path)
                label = "High-poly twin"
            elif intake.purpose in (Intake.NEIGHBOUR, Intake.MARKER):
                # Where its file says: what is made for an object is made in its coordinates.
                role: Literal["stands", "marker"] = "marker" if intake.purpose == Intake.MARKER else "stands"
                near = AddNeighbour(
                    file=path, name=(name or Path(intake.main).stem)[:120], scale=scale, up=up, role=role
                )  # type: ignore[arg-type]
                label = near.put(now.object)
            else:
                now = with_parts_renamed(now, {k: v for k, v in (match or {}).items() if v})
                names = {p["name"] for p in intake.facts["parts"]}
                now.object = now.object.model_copy(
                    update={
                        "file": path,
                        "scale": scale,
                        "turned": [n for n in dict.fromkeys([*now.object.turned, *turned]) if n in names],
                        "two_sided": [n for n in now.object.two_sided if n in names],
                        "uv": "tiles" if intake.facts.get("tiles") else "own",
                    }
                )
                now.setting = now.setting.model_copy(update={"up": up})
                label = "Replace the model"
            item.commit(base, now.model_dump(mode="json"), label)
            if unwrap and intake.purpose == Intake.REPLACE:
                unwrap_soon(item)
        folder = intake.folder
        intake.delete()
    shutil.rmtree(folder, ignore_errors=True)
    return item


def unwrap_soon(item: WorkObject) -> None:
    """Have UVs made in the background; the scene takes them up when they are there, and the object can be looked at
    meanwhile.
    """
    options = {"version": item.head_id, "quality": "good", "take_up": True}
    job = Job.objects.create(owner_id=item.project.owner_id, object=item, kind="unwrap", options=options)
    start(job)


def _linked(folder: Path, home: Path) -> None:
    """Put the files of ``folder`` at ``home`` as well, whole or not at all; nothing where they are there already."""
    if home.exists():
        # It may be old and about to be swept.
        os.utime(home)
        return
    home.parent.mkdir(parents=True, exist_ok=True)
    beside = Path(tempfile.mkdtemp(dir=home.parent, prefix="."))
    try:
        shutil.copytree(folder, beside / "in", copy_function=_link)
        try:
            (beside / "in").replace(home)
        except OSError:
            if not home.exists():
                raise
    finally:
        shutil.rmtree(beside, ignore_errors=True)


def _link(source: str, target: str) -> None:
    try:
        os.link(source, target)
    except OSError:
        shutil.copy2(source, target)


def discard(intake: Intake) -> None:
    """Remove an intake and its files."""
    shutil.rmtree(intake.folder, ignore_errors=True)
    if intake.pk is not None:
        intake.delete()


def take_in(project: Project, name: str, pieces: Iterable[bytes], scene: Scene | None = None) -> WorkObject:
    """Receive, check and accept one file at once, with the suggested size and axis.

    Raises
    ------
    InputError : not a usable object; nothing is left behind.
    """
    intake = Intake.objects.create(project=project)
    try:
        receive(intake, name, pieces)
        check(intake)
        facts = intake.facts
        return accept(
            intake,
            name=Path(clean_name(name)).stem,
            scale=facts["suggested_scale"] if scene is None else scene.object.scale,
            up=facts["suggested_up"],
            unwrap=scene is None and (not facts["uv"]["present"] or bool(facts["uv"]["missing"])),
            scene=scene,
        )
    except BaseException:
        discard(intake)
        raise


#: Version -> files of the project that its document names, of the last few asked for: a drag asks for the same ones
#: dozens of times.
_vouched: OrderedDict[int, frozenset[str]] = OrderedDict()


def vouched(item: WorkObject, after: frozenset[str] | None = None) -> frozenset[str]:
    """Files that the saved scene names and the project has; ``after``: known already, since they follow from those of
    the version before.

    What is saved is asked about like anything else: an earlier version of the program may have let something pass.
    """
    key = item.head_id or 0
    found = after if after is not None else _vouched.get(key)
    if found is None:
        found = frozenset(files_in(item.document) & _rows(item.project, files_in(item.document)))
    _vouched[key] = found
    _vouched.move_to_end(key)
    while len(_vouched) > 64:
        _vouched.popitem(last=False)
    return found


def _rows(project: Project, names: set[str]) -> set[str]:
    """Those of the names that are files of the project."""
    rows = SourceFile.objects.filter(project=project)
    # Many strokes: reading all names is quicker than asking for each.
    if len(names) < 400:
        rows = rows.filter(path__in=names)
    return set(rows.values_list("path", flat=True)) & names


def own_files_only(scene: Scene, project: Project, known_to: WorkObject | None = None) -> None:
    """Refuse a scene that names a file the project does not have, in use or not. What the saved scene of ``known_to``
    names was looked at before.

    Raises
    ------
    InputError : which field names which file.
    """
    named = named_files(scene)
    if known_to is not None:
        before = vouched(known_to)
        named = {field: path for field, path in named.items() if path not in before}
        if not named:
            return
    known = _rows(project, set(named.values()))
    for field, path in named.items():
        if path not in known or not is_exact(path):
            raise InputError(
                f"'{path[:120]}' is not a file of this project",
                where=f"{scene.name}: {field}",
                remedy="Bring the file in first",
            )
