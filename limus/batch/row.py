"""A row of a sheet: which object, what is done with it, and what is delivered."""

from __future__ import annotations

import os
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from pathlib import Path, PurePosixPath
from typing import Any

from pydantic import Field, ValidationError, model_validator

from limus import __version__
from limus.common.errors import InputError
from limus.common.fields import Document
from limus.common.hashing import key_of
from limus.common.named_files import named_files
from limus.common.refusal import first_refusal, refusal, refuse_odd_text
from limus.common.wording import one_of
from limus.document.base_file import read_base
from limus.document.scene import Scene, load_scene
from limus.document.start import started
from limus.document.treatment import Treatment, treated, treatment_from
from limus.document.treatments import shipped
from limus.formats.beside import noting_beside
from limus.formats.files import bytes_of, checksum_of
from limus.formats.json_read import read_json
from limus.formats.read import read_object, usual_up
from limus.intake.object_file import ObjectFile
from limus.intake.preparation import Finder, beside_scene
from limus.playing.session import Session
from limus.readings.setting import Setting
from limus.surface.udim import tiles_of
from limus.targets.order import Order, order_from
from limus.targets.recipe import PRESETS
from limus.targets.written import file_stem

_OUT = re.compile(r"[A-Za-z0-9][A-Za-z0-9._-]{0,99}(/[A-Za-z0-9][A-Za-z0-9._-]{0,99}){0,3}")


class Row(Document):
    """What can stand in a row; each field is a column, and an empty cell is left out.

    Files are named from the folder of the sheet. Fields of an ``Order`` are columns too.
    """

    scene: str = Field("", max_length=400, description="A scene document, as it is")
    object: str = Field("", max_length=400, description="A model; a scene is begun for it, without layers")
    scale: float | None = Field(None, gt=0, le=1e6, description="Metres per unit of the model's file")
    base: str = Field("", max_length=400, description="What the model is made of: a name of the store room, or a file")
    treatment: str = Field(
        "", max_length=400, description="Treatments laid on: names of the shelf or files, with + between them"
    )
    setting: str = Field("", max_length=400, description="A scene document whose setting is taken")
    seed: int | None = Field(None, ge=0, le=2**31 - 1)
    snapshot: str = Field("", max_length=120)
    year: float | None = Field(None, ge=0, le=100_000)
    out: str = Field("", max_length=120, description="Folder for what is delivered; by default named after the model")
    order: str = Field("", max_length=400, description="An order as a JSON file; columns beside it win")
    target: str = Field("", max_length=40)
    resolution: int | None = None
    bits: int | None = None
    names: str = Field("", max_length=120)
    masks: str = Field("", max_length=2000, description="Masks to take along, with ; between them")
    packed: str = Field("", pattern="^(yes|no|)$")
    gutter: int | None = None
    gutter_mm: float | None = None
    dither: str = Field("", pattern="^(yes|no|)$")
    snapshots: str = Field("", max_length=2000, description="Snapshots that go along as variants, with ; between them")
    moved: str = Field("", pattern="^(yes|no|)$")
    edge_mm: float | None = None
    recipe: str = Field("", max_length=4000, description="Packed maps with ; between them, or the name of a preset")

    @model_validator(mode="after")
    def _one_object(self) -> Row:
        if bool(self.scene) == bool(self.object):
            raise refusal("object", "a row names a model or a scene", "Fill in one of the columns object and scene")
        if self.scene and (self.base or self.scale):
            field = "base" if self.base else "scale"
            raise refusal(field, "a scene says this itself", "Leave it out, or name a model instead of a scene")
        if self.out and (not _OUT.fullmatch(self.out) or ".." in self.out):
            raise refusal("out", "it is no name of a folder within this one", "Use letters, digits, - _ . and /")
        return self


COLUMNS = tuple(Row.model_fields)


def row_from(cells: Mapping[str, str], where: str) -> Row:
    """The row of the cells of a sheet.

    Raises
    ------
    InputError : a column that is none, a cell that does not fit; ``where`` names the row.
    """
    refuse_odd_text(dict(cells), where)
    for column in cells:
        if column not in COLUMNS:
            raise InputError(f"there is no column '{column[:40]}'", where=where, remedy=one_of(COLUMNS, column))
    try:
        return Row.model_validate(dict(cells))
    except ValidationError as error:
        raise first_refusal(error).error(where) from error


@dataclass(frozen=True)
class Work:
    """A row ready to be done: its ``scene`` and ``order``, the ``files`` it names with where they lie, and the folder
    that it is delivered to. ``key`` is another wherever anything that it comes of is another.
    """

    out: str
    scene: Scene
    order: Order
    files: Mapping[str, Path]
    sums: Mapping[str, str]

    @property
    def key(self) -> str:
        """Hash of what it comes of."""
        return key_of(
            "batch row", __version__, self.scene.model_dump_json(), self.order.model_dump_json(),
            *(f"{name} {total}" for name, total in sorted(self.sums.items())),
        )  # fmt: skip


def work_of(row: Row, folder: Path, where: str) -> Work:
    """What a row asks for; ``folder`` is that of its sheet.

    Raises
    ------
    InputError : a file that is not there or cannot be read, a treatment, base or snapshot that there is none of, an
        order that cannot be; ``where`` names the row.
    """
    try:
        scene, within = _scene(row, folder)
        order = _order(row, folder)
        files = _files(scene, within)
        sums = {name: checksum_of(path) for name, path in files.items()}
    except InputError as error:
        raise InputError(
            error.problem, where=f"{where}: {error.where.lstrip('-')}" if error.where else where, remedy=error.remedy,
            value=error.value, accepted=error.accepted,
        ) from error  # fmt: skip
    stem = Path(row.scene or row.object).stem
    return Work(row.out or file_stem(stem), scene, order, files, sums)


def _files(scene: Scene, within: Path) -> dict[str, Path]:
    """Every file that the scene names, and those that its models name in turn; by their names from ``within``."""
    out = {name: within / name for name in sorted(set(named_files(scene).values()))}
    for name, path in list(out.items()):
        _there(path, name)
        if path.suffix.lower() in (".gltf", ".obj"):
            with noting_beside() as seen:
                read_object(path)
            home = path.parent.resolve()
            for one in sorted(seen):
                out[(PurePosixPath(name).parent / one.relative_to(home).as_posix()).as_posix()] = one
    return out


def _there(path: Path, name: str) -> bool:
    if not path.is_file():
        raise InputError("the file is not there", where=name, remedy="Check the path in the sheet")
    return True


def _scene(row: Row, folder: Path) -> tuple[Scene, Path]:
    if row.scene:
        path = folder / row.scene
        scene, within = load_scene(path), path.parent
    else:
        path, within = folder / row.object, folder
        _there(path, row.object)
        document = ObjectFile(file=os.path.relpath(path, within), **({"scale": row.scale} if row.scale else {}))
        setting = Setting(up=usual_up(path))
        session = Session(Scene(object=document, setting=setting), beside_scene(within))
        if session.mesh.uv is None or session.mesh.without_uv:
            document = document.model_copy(update={"uv": "unwrapped"})
        elif tiles_of(session.mesh):
            document = document.model_copy(update={"uv": "tiles"})
        base = read_base(folder / row.base, within) if row.base.lower().endswith(".json") else row.base or None
        scene = started(document, setting, session.size, base=base, layers=[])
    if row.setting:
        scene = scene.model_copy(update={"setting": load_scene(folder / row.setting).setting})
    return adjusted(row, scene, beside_scene(within), lambda name: _treatment(name, folder)), within


def adjusted(row: Row, scene: Scene, find: Finder, shelf: Callable[[str], Treatment]) -> Scene:
    """The scene with the treatments of a row on top, at its snapshot, seed and year."""
    for name in filter(None, (one.strip() for one in row.treatment.split("+"))):
        scene = treated(scene, shelf(name), Session(scene, find).size).scene
    if row.snapshot:
        scene = scene.at_snapshot(row.snapshot)
    changes: dict[str, Any] = {}
    if row.seed is not None:
        changes["seed"] = row.seed
    if row.year is not None:
        changes["year"] = min(row.year, scene.setting.years)
    return scene.model_copy(update=changes)


def _treatment(name: str, folder: Path) -> Treatment:
    if name.lower().endswith(".json"):
        return treatment_from(bytes_of(folder / name), name)
    found = shipped().get(name)
    if found is None:
        found = next((one for one in shipped().values() if one.name.lower() == name.lower()), None)
    if found is None:
        raise InputError(f"there is no treatment '{name[:60]}'", where="treatment", remedy=one_of(shipped(), name))
    return found


def _order(row: Row, folder: Path) -> Order:
    kept: dict[str, Any] = {}
    if row.order:
        kept = read_json(folder / row.order)
        if not isinstance(kept, dict):
            raise InputError("an order is a list of fields", where=row.order, remedy='Write {"target": "maps"}')
    return ordered(row, kept)


def ordered(row: Row, kept: Mapping[str, Any]) -> Order:
    """The order of a row; ``kept`` is what it refers to, and its columns win."""
    given: dict[str, Any] = {"target": "maps", "resolution": 1024, **kept}
    for field in ("target", "resolution", "bits", "names", "gutter", "gutter_mm", "edge_mm"):
        value = getattr(row, field)
        if value not in (None, ""):
            given[field] = value
    for field in ("packed", "dither", "moved"):
        if getattr(row, field):
            given[field] = getattr(row, field) == "yes"
    for field in ("masks", "snapshots"):
        if getattr(row, field):
            given[field] = [one.strip() for one in getattr(row, field).split(";") if one.strip()]
    if row.recipe:
        lines = [one.strip() for one in row.recipe.split(";") if one.strip()]
        given["recipe"] = [line for one in lines for line in PRESETS.get(one, (one,))]
    return order_from(given)


def apart(works: Mapping[int, Work]) -> dict[int, InputError]:
    """Rows that would be delivered into a folder that an earlier one has, or into one within it."""
    out: dict[int, InputError] = {}
    taken: dict[str, int] = {}
    for k, work in works.items():
        name = work.out.lower()
        other = next(
            (n for o, n in taken.items() if o == name or o.startswith(name + "/") or name.startswith(o + "/")), 0
        )
        if other:
            out[k] = InputError(
                f"it would be delivered to {work.out}, as row {other} is", where=f"row {k}",
                remedy="Give it a folder of its own in the column out",
            )  # fmt: skip
        else:
            taken[name] = k
    return out
