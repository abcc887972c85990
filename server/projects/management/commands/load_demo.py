"""Build the demo project."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand

from demo import gate_hoist, gauge_board, pier_cap, slate_panel
from demo.plain_obj import obj_bytes
from demo.scenario import PROJECT, gate_hoist_scene, gauge_board_scene, pier_cap_scene, slate_panel_scene
from limus.common.errors import InputError
from limus.document.scene import Scene
from limus.formats.files import write_whole
from limus.formats.gltf_write import glb_bytes
from limus.surface.mesh import Mesh
from server.projects import try_out
from server.projects.demo_sign_in import DEMO_USER
from server.projects.intake import take_in
from server.projects.models import Project, WorkObject
from server.projects.warm_up import evaluate_once
from server.projects.workshop import session_of

#: The objects of the project, the one that is opened first at the top.
OBJECTS: list[tuple[str, Callable[[], Mesh], Callable[[], Scene]]] = [
    ("gate-hoist.glb", gate_hoist.build, gate_hoist_scene),
    ("gauge-board.glb", gauge_board.build, gauge_board_scene),
    ("slate-panel.glb", slate_panel.build, slate_panel_scene),
    ("pier-cap.glb", pier_cap.build, pier_cap_scene),
]
#: Files to try intake with: without UVs, as a high-poly twin, as a newer version.
TRY_OUT: dict[str, Callable[[], bytes]] = {
    "slate-panel-without-uvs.obj": lambda: obj_bytes(slate_panel.build()),
    "gate-hoist-high.glb": lambda: glb_bytes(gate_hoist.build(twin=True), name="Gate hoist, high"),
    "gauge-board-newer.glb": lambda: glb_bytes(gauge_board.build(newer=True), name="Gauge board"),
}


@cache
def _content(file: str) -> bytes:
    """A GLB of the demo; made once in a process."""
    build, scene = next((b, s) for f, b, s in OBJECTS if f == file)
    return glb_bytes(build(), name=scene().name)


class Command(BaseCommand):
    """Makes the demo's user, project, objects and try-out files where they are missing, and measures the first
    object.
    """

    help = "Build the demo project (does nothing where it exists already)"

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--draft", action="store_true", help="only the quick readings")
        parser.add_argument(
            "--first", action="store_true", help="only the object that is opened first, no files to try"
        )

    def handle(self, *args: Any, **options: Any) -> None:
        """Run."""
        user, made = get_user_model().objects.get_or_create(username=DEMO_USER)
        if made:
            user.set_unusable_password()
            user.save()
        mine = Project.objects.filter(owner=user, name=PROJECT).order_by("pk")
        project = mine.first() or Project.objects.create(owner=user, name=PROJECT)
        fresh = not project.items.exists()
        if fresh and options["verbosity"]:
            self.stdout.write("Building and measuring the demo project (about a minute, only this once) ...")
            self.stdout.flush()
        for name, content in ({} if options["first"] else TRY_OUT).items():
            if not (try_out.folder() / name).is_file():
                write_whole(try_out.folder() / name, content())
        for file, _, scene in OBJECTS[: 1 if options["first"] else None]:
            wanted = scene()
            if not project.items.filter(name=wanted.name).exists():
                take_in(project, file, [_content(file)], wanted)
        # Its owner may have given the same name to several.
        first = project.items.filter(name=OBJECTS[0][2]().name).order_by("pk")[0]
        self._measured(first, "draft" if options["draft"] else "good")
        if not options["draft"]:
            # Something to see of each of the others, in lists and when it is opened.
            for item in project.items.exclude(pk=first.pk):
                self._measured(item, "draft")
        if fresh and not options["draft"]:
            # Compile what the first evaluation needs; the result stays on disk.
            evaluate_once(WorkObject.objects.select_related("project", "head").get(pk=first.pk), 128)

    def _measured(self, item: WorkObject, quality: str) -> None:
        """Measure an object, or say why that cannot be: one that nobody can read keeps nobody from the others."""
        try:
            session_of(item.scene()).measure(quality, lambda share, word: None)
        except InputError as error:
            self.stderr.write(f"{item.name}: {error.line}")
