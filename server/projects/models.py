"""Projects, the objects in them, and every version of their scenes."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from django.conf import settings
from django.db import models, transaction

from limus.scene import Scene, scene_from


class StaleEdit(Exception):
    """The edit was made on a version that is no longer the newest."""


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
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["project", "path"], name="one_row_per_file")]

    def __str__(self) -> str:
        return self.name


class Facts(models.Model):
    """What inspection found of a prepared mesh, by the hash of what went into it."""

    key = models.CharField(max_length=64, unique=True)
    facts = models.JSONField()

    def __str__(self) -> str:
        return self.key


class WorkObject(models.Model):
    """An object being worked on. Its scene has versions, and ``head`` points at the one shown; files never change.

    ``undone`` lists versions that undo stepped back from, newest last, so that redo can return; a new edit empties it.
    """

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="items")
    name = models.CharField(max_length=120)
    head = models.ForeignKey("SceneVersion", null=True, on_delete=models.PROTECT, related_name="+")
    undone = models.JSONField(default=list)
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return self.name

    def scene(self) -> Scene:
        """The scene at ``head``, checked."""
        assert self.head is not None
        return scene_from(self.head.document, self.name)

    @transaction.atomic
    def commit(self, base: int | None, document: dict[str, Any], label: str) -> SceneVersion:
        """Store a new version on top of version ``base`` (its id) and point at it.

        Raises
        ------
        StaleEdit : ``base`` is not the version shown now; nothing is stored.
        """
        fresh = WorkObject.objects.select_for_update().get(pk=self.pk)
        if fresh.head_id != base:
            raise StaleEdit
        number = (fresh.head.number if fresh.head else 0) + 1
        version = SceneVersion.objects.create(object=fresh, parent=fresh.head, number=number, document=document, label=label[:120])
        fresh.head, fresh.undone = version, []
        fresh.save(update_fields=["head", "undone"])
        self.head, self.undone = version, []
        return version

    @transaction.atomic
    def step(self, base: int, *, back: bool) -> SceneVersion | None:
        """Undo (``back``) or redo; the version now shown, or None when there is nothing to step to.

        Raises
        ------
        StaleEdit : ``base`` is not the version shown now.
        """
        fresh = WorkObject.objects.select_for_update().select_related("head", "head__parent").get(pk=self.pk)
        if fresh.head_id != base or fresh.head is None:
            raise StaleEdit
        if back:
            if fresh.head.parent is None:
                return None
            fresh.undone = [*fresh.undone, fresh.head_id]
            fresh.head = fresh.head.parent
        else:
            if not fresh.undone:
                return None
            fresh.head = SceneVersion.objects.get(pk=fresh.undone[-1], object=fresh)
            fresh.undone = fresh.undone[:-1]
        fresh.save(update_fields=["head", "undone"])
        self.head, self.undone = fresh.head, fresh.undone
        return fresh.head


class SceneVersion(models.Model):
    """One version of an object's scene; never changed after it was stored."""

    object = models.ForeignKey(WorkObject, on_delete=models.CASCADE, related_name="versions")
    parent = models.ForeignKey("self", null=True, on_delete=models.SET_NULL, related_name="children")
    number = models.PositiveIntegerField()
    document = models.JSONField()
    label = models.CharField(max_length=120, blank=True, help_text="What the edit did, in words")
    created = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["id"]

    def __str__(self) -> str:
        return f"{self.object_id} v{self.number}"


class Intake(models.Model):
    """Files on their way in: received, looked at, then accepted or discarded.

    ``purpose``: a new object, a newer version of one, or a high-poly twin of one.
    """

    RECEIVING, CHECKING, READY, FAILED = "receiving", "checking", "ready", "failed"
    OBJECT, REPLACE, TWIN = "object", "replace", "twin"

    project = models.ForeignKey(Project, on_delete=models.CASCADE, related_name="intakes")
    purpose = models.CharField(max_length=10, default=OBJECT)
    target = models.ForeignKey(WorkObject, null=True, on_delete=models.CASCADE, related_name="intakes")
    state = models.CharField(max_length=12, default=RECEIVING)
    main = models.CharField(max_length=300, blank=True, help_text="The object file, relative to the intake's folder")
    facts = models.JSONField(default=dict)
    report = models.JSONField(default=dict)
    error = models.TextField(blank=True)
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


class Favourite(models.Model):
    """A base of the store room that somebody likes to have at hand."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="favourite_bases")
    name = models.CharField(max_length=80)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["owner", "name"], name="one_favourite_per_name")]

    def __str__(self) -> str:
        return self.name
