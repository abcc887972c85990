"""Taking in an object file."""

from __future__ import annotations

import hashlib
import re
import tempfile
from collections.abc import Iterable
from pathlib import Path

from django.conf import settings

from limus.cli import inspection
from limus.delivery import file_stem
from limus.errors import InputError
from limus.formats.gltf_read import read_gltf
from limus.scene import ObjectFile, Scene
from server.projects.models import Project, WorkObject


def take_in(project: Project, name: str, pieces: Iterable[bytes], scene: Scene | None = None) -> WorkObject:
    """Stream an upload to disk, check it, and make an object with a first scene of it.

    Raises
    ------
    InputError : not a usable object; nothing is left behind.
    """
    name = re.sub(r"[^\w .()-]+", "", Path(name).name).strip() or "object.glb"
    if Path(name).suffix.lower() not in (".glb", ".gltf"):
        raise InputError("only .glb files are taken in here", where=name, remedy="Save the object as binary glTF 2.0 (.glb)")
    folder = Path(settings.DATA_DIR) / "objects"
    folder.mkdir(parents=True, exist_ok=True)
    with tempfile.NamedTemporaryFile(dir=folder, suffix=Path(name).suffix, delete=False) as out:
        beside = Path(out.name)
        try:
            digest = hashlib.blake2b(digest_size=20)
            for piece in pieces:
                digest.update(piece)
                out.write(piece)
            out.flush()
            mesh = read_gltf(beside, name=name)
            if len(mesh.triangles) > settings.TRIANGLE_LIMIT:
                raise InputError(
                    f"{len(mesh.triangles)} triangles are more than the limit {settings.TRIANGLE_LIMIT}",
                    where=name,
                    remedy="Reduce the mesh, or raise LIMUS_TRIANGLE_LIMIT",
                )
            mesh.need_uv()
            facts = inspection(mesh)
            final = folder / f"{digest.hexdigest()}{Path(name).suffix.lower()}"
            beside.chmod(0o644)
            beside.replace(final)
        except BaseException:
            beside.unlink(missing_ok=True)
            raise
    title = Path(name).stem
    if scene is None:
        scene = Scene(name=title[:120], object=ObjectFile(file=f"{file_stem(title)}.glb"))
    item = WorkObject.objects.create(
        project=project, name=scene.name, file=f"objects/{final.name}", digest=digest.hexdigest(), facts=facts
    )
    item.commit(None, scene.model_dump(mode="json"), "As made")
    return item
