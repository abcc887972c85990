"""Projects, the objects in them, and every version of their scenes."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models, transaction

from limus.bases.catalogue import MATERIALS
from limus.document.difference import Step, applied, difference, values
from limus.document.editions import looks_changed
from limus.document.scene import Scene, scene_from
from limus.effects.catalogue import EFFECTS
from limus.masks.recipe import SOURCES
from server.projects.data_files import files_in, find


class StaleEdit(Exception):
    """The edit was made on a version that is no longer the newest."""


#: Kind -> edition today.
CURRENT = {
    f"{what} {kind}": one.edition
    for what, table in (("effect", EFFECTS), ("source", SOURCES), ("base", MATERIALS))
    for kind, one in table.items()
}


def kinds_in(document: dict[str, Any]) -> list[str]:
    """Kinds that a plain document uses, as ``limus.document.editions`` names them."""
    out: dict[str, None] = {}
    stack: list[tuple[str, Any]] = [("", document)]
    words = {"effect": "effect", "source": "source", "material": "base"}
    while stack:
        name, value = stack.pop()
        if isinstance(value, dict):
            if name in words and isinstance(value.get("kind"), str):
                out[f"{words[name]} {value['kind']}"] = None
            stack.extend(value.items())
        elif isinstance(value, list):
            stack.extend((name, inner) for inner in value if isinstance(inner, (dict, list)))
    return sorted(out)


def put_in_place(steps: list[Step]) -> set[str]:
    """Files that the steps of a difference name anew."""
    return {name for field, value in values(steps) for name in files_in(value, field)}


def note_uses(paths: set[str], **owner: Any) -> None:
    """Write down that an object or a base (``owner``) names these files, and the pictures that strokes among them are
    stamped with.
    """
    stamps = {stamp for path in paths if path.startswith("strokes/") for stamp in _stamps(path)}
    rows = [FileUse(path=path, **owner) for path in sorted(paths | stamps)]
    FileUse.objects.bulk_create(rows, ignore_conflicts=True, batch_size=500)


def _stamps(path: str) -> set[str]:
    try:
        return files_in(json.loads(find(path).read_bytes()))
    except (OSError, ValueError):
        return set()


class Project(models.Model):
    """A piece of work; belongs to one user."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="projects")
    name = models.CharField(max_length=120)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.name


class SourceFile(models.Model):
    """A file that scenes of a project may name: an object, or a high-poly twin. It never changes.

    ``path`` is what stands in the scene document: relative to the data folder, with the digest of its content in it.
    """

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="files")
    path = models.CharField(max_length=300)
    name = models.CharField(max_length=200)
    unit_known = models.BooleanField(default=True, help_text="The format says that its unit is the metre")
    size = models.BigIntegerField(default=0, help_text="Bytes, with what belongs to it")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["project", "path"], name="one_row_per_file")]

    def __str__(self) -> str:
        return self.name


class FileUse(models.Model):
    """That a version of an object's scene, or a base of somebody's own, names a file: the one table of what may not
    go away.

    Written with the version that names a file first; a stroke brings the picture it is stamped with along. Rows go
    with the object.
    """

    path = models.CharField(max_length=300, db_index=True)
    object = models.ForeignKey("WorkObject", null=True, on_delete=models.CASCADE, related_name="uses")
    base = models.ForeignKey("OwnBase", null=True, on_delete=models.CASCADE, related_name="uses")

    class Meta:
        ordering = ["id"]
        constraints = [
            models.UniqueConstraint(fields=["object", "path"], name="one_use_per_object"),
            models.UniqueConstraint(fields=["base", "path"], name="one_use_per_base"),
        ]

    def __str__(self) -> str:
        return self.path


class Photograph(models.Model):
    """A picture of the real thing on the wall of a project, and what was marked in it.

    ``marks``: ``points`` (two places in shares of the picture) and ``length_mm`` between them; ``card``; ``outline``,
    ``kinds`` and ``names`` of the last reading. ``place``: x, y and width on the board.
    """

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="photographs")
    path = models.CharField(max_length=300, db_index=True)
    name = models.CharField(max_length=200)
    note = models.TextField(blank=True, default="")
    source = models.CharField(max_length=300, blank=True, default="", help_text="Where it comes from")
    width = models.IntegerField(help_text="Pixels, as it is looked at")
    height = models.IntegerField()
    marks = models.JSONField(default=dict)
    place = models.JSONField(default=dict)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.name


class KeptFile(models.Model):
    """A file that can be made again (readings, unwrapped UVs) and the object it was made for; ``used`` when it was
    asked for last.
    """

    object = models.ForeignKey("WorkObject", on_delete=models.CASCADE, related_name="kept")
    name = models.CharField(max_length=120, db_index=True)
    used = models.DateTimeField()

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["object", "name"], name="one_row_per_kept_file")]

    def __str__(self) -> str:
        return self.name


class Facts(models.Model):
    """What inspection found of a prepared mesh, by the hash of what went into it."""

    key = models.CharField(max_length=64, unique=True)
    facts = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return self.key


class WorkObject(models.Model):
    """An object being worked on. Its scene has versions, and ``head`` points at the one shown; files never change.

    ``undone`` lists versions that undo stepped back from, newest last, so that redo can return; a new edit empties it.
    """

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="items")
    name = models.CharField(max_length=120)
    head = models.ForeignKey("SceneVersion", null=True, on_delete=models.PROTECT, related_name="+")
    document = models.JSONField(default=dict, help_text="The scene at head, whole")
    undone = models.JSONField(default=list)
    editions = models.JSONField(
        default=dict,
        help_text="Editions of effects, sources and bases that it was made with: see limus.document.editions",
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.name

    def looks_changed(self) -> list[str]:
        """Names of what looks different from when it was made."""
        return looks_changed(self.scene(), self.editions)

    def scene(self) -> Scene:
        """The scene at ``head``, checked."""
        # It was looked through for odd text when it was stored.
        return scene_from(self.document, self.name, trusted=True)

    @transaction.atomic
    def commit(
        self,
        base: int | None,
        document: dict[str, Any],
        label: str,
        steps: tuple[list[Any], list[Any]] | None = None,
        token: str = "",
    ) -> SceneVersion:
        """Store a new version on top of version ``base`` (its id) and point at it; ``steps`` where they are known
        already.

        ``token`` is what whoever made the edit calls it: an answer that got lost is asked for by it.

        Raises
        ------
        StaleEdit : ``base`` is not the version shown now; nothing is stored.
        """
        fresh = WorkObject.objects.select_for_update().get(pk=self.pk)
        if fresh.head_id != base:
            raise StaleEdit
        number = (SceneVersion.objects.filter(pk=fresh.head_id).values_list("number", flat=True).first() or 0) + 1
        there, back = steps or difference(fresh.document, document)
        if applied(fresh.document, there) != document or applied(document, back) != fresh.document:
            # Never seen; a history that cannot be walked would be worse than a large one.
            there, back = [["set", [], document]], [["set", [], fresh.document]]
        version = SceneVersion.objects.create(
            object=fresh,
            parent_id=fresh.head_id,
            number=number,
            change=there,
            back=back,
            label=label[:120],
            token=token,
        )
        note_uses(put_in_place(there), object=fresh)
        fresh.head, fresh.undone, fresh.document = version, [], document
        fresh.name = document.get("name") or fresh.name
        # What is new in it is of today; what was there keeps what it was made with, until somebody says that it may
        # look as it does now.
        known = fresh.editions or ({} if base is None else dict.fromkeys(kinds_in(fresh.document), 1))
        fresh.editions = {kind: known.get(kind, CURRENT.get(kind, 1)) for kind in kinds_in(document)}
        fresh.save(update_fields=["head", "undone", "document", "name", "editions"])
        self.head, self.undone, self.document, self.name = version, [], document, fresh.name
        self.editions = fresh.editions
        return version

    @transaction.atomic
    def step(self, base: int, *, back: bool) -> list[Any]:
        """Undo (``back``) or redo; what changed in the document, nothing when there is nothing to step to.

        Raises
        ------
        StaleEdit : ``base`` is not the version shown now.
        """
        fresh = WorkObject.objects.select_for_update().select_related("head", "head__parent").get(pk=self.pk)
        if fresh.head_id != base or fresh.head is None:
            raise StaleEdit
        if back:
            if fresh.head.parent is None:
                return []
            fresh.undone = [*fresh.undone, fresh.head_id]
            change = fresh.head.back
            fresh.head = fresh.head.parent
        else:
            if not fresh.undone:
                return []
            fresh.head = SceneVersion.objects.get(pk=fresh.undone[-1], object=fresh)
            change = fresh.head.change
            fresh.undone = fresh.undone[:-1]
        fresh.document = applied(fresh.document, change)
        # What the object is called in lists is what the document says.
        fresh.name = fresh.document.get("name") or fresh.name
        fresh.save(update_fields=["head", "undone", "document", "name"])
        self.head, self.undone, self.document, self.name = fresh.head, fresh.undone, fresh.document, fresh.name
        return change

    def at(self, version: SceneVersion) -> dict[str, Any]:
        """The document of any version of it: from the one shown now back to where the two part, and forward again.

        Raises
        ------
        SceneVersion.DoesNotExist : one on the way was removed meanwhile.
        """
        parents = dict(self.versions.values_list("pk", "parent_id"))

        def line(pk: int | None) -> list[int]:
            out = []
            while pk is not None:
                out.append(pk)
                pk = parents.get(pk)
            return out

        here, there = line(self.head_id), line(version.pk)
        shared = next((pk for pk in here if pk in set(there)), None)
        up = here[: here.index(shared)] if shared is not None else here
        down = list(reversed(there[: there.index(shared)] if shared is not None else there))
        rows = {row.pk: row for row in self.versions.filter(pk__in=[*up, *down])}
        if len(rows) < len(up) + len(down):
            raise SceneVersion.DoesNotExist
        document: dict[str, Any] = self.document
        for pk in up:
            document = applied(document, rows[pk].back)
        for pk in down:
            document = applied(document, rows[pk].change)
        return document


class SceneVersion(models.Model):
    """One version of an object's scene: what changed from its parent, and back; never changed after it was stored."""

    object = models.ForeignKey(WorkObject, on_delete=models.CASCADE, related_name="versions")
    parent = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="children")
    number = models.PositiveIntegerField()
    change = models.JSONField(default=list, help_text="Steps from the document of the parent, see difference.py")
    back = models.JSONField(default=list)
    label = models.CharField(max_length=120, blank=True, help_text="What the edit did, in words")
    token = models.CharField(
        max_length=40, blank=True, default="", help_text="What whoever made the edit calls it, so that it is made once"
    )
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.object_id} v{self.number}"

    @property
    def document(self) -> dict[str, Any]:
        """The whole document at this version."""
        return self.object.at(self)


class OfferedPicture(models.Model):
    """A newer picture that a program brought for one that an object names: shown to whoever opens the object, and taken
    by an edit or left.
    """

    object = models.ForeignKey("WorkObject", on_delete=models.CASCADE, related_name="offered_pictures")
    was = models.CharField(max_length=300)
    file = models.ForeignKey(SourceFile, on_delete=models.CASCADE, related_name="offered_to")
    note = models.CharField(max_length=300, help_text="What is different, in words")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["object", "was"], name="one_offer_per_picture")]

    def __str__(self) -> str:
        return self.was


class Intake(models.Model):
    """Files on their way in: received, looked at, then accepted or discarded.

    ``purpose``: a new object, a newer version of one, a high-poly twin of one, or what stands or marks areas near one.
    """

    RECEIVING, CHECKING, READY, FAILED, TAKING = "receiving", "checking", "ready", "failed", "taking"
    OBJECT, REPLACE, TWIN, NEIGHBOUR, MARKER = "object", "replace", "twin", "neighbour", "marker"

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="intakes")
    purpose = models.CharField(max_length=10, default=OBJECT)
    target = models.ForeignKey(WorkObject, null=True, on_delete=models.CASCADE, related_name="intakes")
    state = models.CharField(max_length=12, default=RECEIVING)
    main = models.CharField(max_length=300, blank=True, help_text="The object file, relative to the intake's folder")
    facts = models.JSONField(default=dict)
    report = models.JSONField(default=dict)
    error = models.TextField(blank=True)
    offered = models.BooleanField(default=False, help_text="Brought by a program: shown to whoever opens the object")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return f"{self.purpose} {self.state}"

    @property
    def folder(self) -> Path:
        """Where its files are until it is accepted."""
        return Path(settings.DATA_DIR) / "intakes" / str(self.pk)


class OwnBase(models.Model):
    """A base that somebody put into the store room: the entry of a scene, its maps named by files that never change."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="own_bases")
    name = models.CharField(max_length=80)
    document = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_own_base_per_name")]

    def __str__(self) -> str:
        return self.name


class OwnTreatment(models.Model):
    """A treatment that somebody saved or brought in as a file."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="treatments")
    name = models.CharField(max_length=80)
    document = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_treatment_per_name")]

    def __str__(self) -> str:
        return self.name


class KeptOrder(models.Model):
    """What somebody delivers again and again: a target with its sizes, names and recipe."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="orders")
    name = models.CharField(max_length=80)
    document = models.JSONField()
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_order_per_name")]

    def __str__(self) -> str:
        return self.name


class ApiToken(models.Model):
    """By which a program of somebody's may use the API: what it may, and until when. Only a digest of it is kept."""

    READ, WRITE = "read", "write"

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="tokens")
    name = models.CharField(max_length=80)
    digest = models.CharField(max_length=64, unique=True)
    rights = models.CharField(max_length=8, default=READ)
    expires = models.DateTimeField()
    used = models.DateTimeField(null=True)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["name", "id"]

    def __str__(self) -> str:
        return self.name


class Favourite(models.Model):
    """A base of the store room that somebody likes to have at hand."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="favourite_bases")
    name = models.CharField(max_length=80)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_favourite_per_name")]

    def __str__(self) -> str:
        return self.name


class Moment(models.Model):
    """A state of an object as somebody saw it: a version of its scene, and how it was looked at (``view``: camera,
    light, year, what is looked through), by name; perhaps with a photograph beside it.
    """

    object = models.ForeignKey(WorkObject, on_delete=models.CASCADE, related_name="moments")
    name = models.CharField(max_length=120)
    version = models.ForeignKey("SceneVersion", on_delete=models.CASCADE, related_name="moments")
    view = models.JSONField(default=dict)
    photograph = models.ForeignKey(Photograph, null=True, on_delete=models.SET_NULL, related_name="moments")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.name
