"""Build the demo project."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import get_user_model
from django.core.management.base import BaseCommand

from demo import gate_hoist
from demo.scenario import PROJECT, gate_hoist_scene
from limus.formats.gltf_write import glb_bytes
from limus.readings.measured import measure
from limus.readings.ray_pass import RayPlan
from limus.surface.pyramid import texels_of
from server.projects.demo_sign_in import DEMO_USER
from server.projects.intake import take_in
from server.projects.models import Project, WorkObject
from server.projects.warm_up import evaluate_once
from server.projects.workshop import DRAFT, good_size, workshop


class Command(BaseCommand):
    """Makes the demo's user, project and objects where they are missing, and measures the objects."""

    help = "Build the demo project (does nothing where it exists already)"

    def add_arguments(self, parser: Any) -> None:
        parser.add_argument("--draft", action="store_true", help="only the quick readings")

    def handle(self, *args: Any, **options: Any) -> None:
        """Run."""
        user, made = get_user_model().objects.get_or_create(username=DEMO_USER)
        if made:
            user.set_unusable_password()
            user.save()
        project, _ = Project.objects.get_or_create(owner=user, name=PROJECT)
        item = project.items.filter(name="Gate hoist").first()
        fresh = item is None
        if item is None:
            if options["verbosity"]:
                self.stdout.write("Building and measuring the demo project (about a minute, only this once) ...")
                self.stdout.flush()
            item = take_in(project, "gate-hoist.glb", [glb_bytes(gate_hoist.build(), name="Gate hoist")], gate_hoist_scene())
        mesh = workshop().mesh(item)
        for size, pairs in [DRAFT] if options["draft"] else [DRAFT, good_size()]:
            measure(texels_of(mesh, size), RayPlan.for_mesh(mesh, pairs))
        if fresh and not options["draft"]:
            # Compile what the first evaluation needs; the result stays on disk.
            evaluate_once(WorkObject.objects.select_related("project", "head").get(pk=item.pk), 128)
