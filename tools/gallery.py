"""Contact sheets of every effect at low, default and high, seen in the real interface: what looks are judged by.

``make gallery`` writes them to var/gallery (not part of the repository); ``KINDS=rust,dust`` only some effects,
``QUICK=1`` only the defaults, and
``LIMUS_BENCH=quick`` one effect on one object, to see that it runs, ``COMBINED=1`` also one sheet of all defaults for
the documents. Beside each it prints how uneven the effect is (the spread of its coverage over parts and eighths of the
object) and how much its default changes.
"""

from __future__ import annotations

import io
import os
import secrets
import shutil
import socket
import subprocess
import sys
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
import trimesh
from PIL import Image, ImageDraw
from playwright.sync_api import Page, sync_playwright

ROOT = Path(__file__).resolve().parents[1]
DATA = ROOT / "var" / "gallery-data"
OUT = ROOT / "var" / "gallery"
sys.path.insert(0, str(ROOT))
os.environ["LIMUS_DATA"] = str(DATA)
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "server.config.settings")
os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"

from limus.common.object_size import ObjectSize  # noqa: E402
from limus.document.scene import ObjectFile, Scene  # noqa: E402
from limus.effects.catalogue import EFFECTS  # noqa: E402
from limus.guide.shown_on import scene_of  # noqa: E402
from limus.intake.preparation import unwrapped_once  # noqa: E402
from limus.review.change import Change, changed  # noqa: E402
from limus.surface.mesh import Mesh, Part  # noqa: E402
from tests.core import shapes  # noqa: E402
from tests.core.reference import bunny  # noqa: E402
from tools.screenshots import FLAGS, settle  # noqa: E402

THUMB = (250, 200)


def _together(named: list[tuple[str, Any]]) -> Mesh:
    """Bodies of the general library as one mesh with flat faces, a part each, without UVs."""
    points, normals, parts, count = [], [], [], 0
    for name, body in named:
        points.append(np.asarray(body.vertices)[np.asarray(body.faces)].reshape(-1, 3))
        normals.append(np.asarray(body.face_normals).repeat(3, axis=0))
        parts.append(Part(name, count, len(body.faces), 0))
        count += len(body.faces)
    corners = np.arange(3 * count, dtype=np.int32).reshape(-1, 3)
    return Mesh(
        np.concatenate(points).astype(np.float32),
        np.concatenate(normals).astype(np.float32),
        corners,
        None,
        parts=tuple(parts),
        source="bracket",
    )


def bracket() -> Mesh:
    """A machine part with holes: a bored hub on a plate with four bolts."""
    hub = trimesh.creation.annulus(0.10, 0.19, 0.22, sections=72)
    hub.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (1, 0, 0)))
    hub.apply_translation((0, 0.26, 0))
    web = trimesh.creation.box((0.16, 0.16, 0.12))
    web.apply_translation((0, 0.10, 0))
    plate = trimesh.creation.box((0.62, 0.06, 0.34))
    plate.apply_translation((0, 0.03, 0))
    bolts = []
    for x in (-0.24, 0.24):
        for z in (-0.11, 0.11):
            bolt = trimesh.creation.cylinder(0.03, 0.04, sections=6)
            bolt.apply_transform(trimesh.transformations.rotation_matrix(np.pi / 2, (1, 0, 0)))
            bolt.apply_translation((x, 0.08, z))
            bolts.append(bolt)
    return _together([("hub", hub), ("web", web), ("plate", plate), *((f"bolt {k}", b) for k, b in enumerate(bolts))])


def rabbit() -> Mesh:
    """The scanned figure of the development packages."""
    p, t = bunny()
    smooth = trimesh.Trimesh(p, t, process=False)
    return Mesh(
        p.astype(np.float32),
        np.asarray(smooth.vertex_normals, np.float32),
        t.astype(np.int32),
        None,
        parts=(Part("rabbit", 0, len(t), 0),),
        source="rabbit",
    )


def panel() -> Mesh:
    """A flat panel."""
    plain = shapes.box(1.0)
    return replace(plain, positions=plain.positions * np.array([1, 1, 0.03], np.float32))


def sized(mesh: Mesh, diagonal: float) -> Mesh:
    """The mesh with UVs, this large, standing on the ground."""
    p = np.asarray(mesh.positions, np.float64)
    p = (p - p.mean(axis=0)) * (diagonal / np.linalg.norm(np.ptp(p, axis=0)))
    p[:, 1] -= p[:, 1].min()
    out = replace(mesh, positions=p.astype(np.float32), source=f"{mesh.source} {diagonal:g} m")
    return out if out.uv is not None else unwrapped_once(out)


def objects(most: int) -> dict[str, Mesh]:
    """What everything is tried on; the first ``most``: unwrapping the figure takes a while."""
    from demo import gate_hoist

    if most == 1:
        return {"box": shapes.box(1.0)}
    shapes_ = {"box": shapes.box(1.0), "figure": rabbit(), "bracket": bracket(), "panel": panel()}
    out = {"hoist": gate_hoist.build()}
    out |= {name: sized(mesh, 0.6) for name, mesh in shapes_.items()}
    if most <= len(out):
        return out
    return out | {
        f"{name} {size:g} m": sized(shapes_[name], size) for name in ("box", "figure") for size in (0.05, 5.0, 20.0)
    }


def measures(session: Any, scene: Scene) -> tuple[float, Change, str]:
    """Spread of the coverage over parts and eighths of the object, against its mean (0 is the same everywhere); what
    the last layer changed; its note.
    """
    readings = session.measuring.best()
    chronicle = session.chronicle(readings.measured, 256)
    chapters = chronicle.play(scene)
    chapter = chapters[-1]
    before = chapters[-2].pile if len(chapters) > 1 else chronicle.as_made(scene)
    change = changed(chronicle.finish(before), chronicle.finish(chapter.pile), chronicle.texels.area)
    texels = chronicle.texels
    middle = texels.mesh.bounds.mean(axis=0)
    eighth = ((texels.position > middle) @ np.array([1, 2, 4])).astype(np.int64) + 8 * texels.part.astype(np.int64)
    area = np.bincount(eighth, texels.area)
    share = np.bincount(eighth, texels.area * chapter.shown) / np.maximum(area, 1e-30)
    share, area = share[area > 0.002 * area.sum()], area[area > 0.002 * area.sum()]
    mean = float((share * area).sum() / area.sum())
    return float(np.sqrt((area * (share - mean) ** 2).sum() / area.sum()) / max(mean, 1e-9)), change, chapter.note


def shot(page: Page, url: str, size: int) -> Image.Image:
    """The view at rest at this resolution, without the interface over it."""
    page.goto(url)
    page.get_by_test_id("view-label").get_by_text(str(size)).wait_for(timeout=120000)
    settle(page)
    page.evaluate(
        "document.querySelectorAll('section.view > :not(canvas)').forEach(e => e.style.visibility = 'hidden')"
    )
    image = Image.open(io.BytesIO(page.locator("section.view canvas").first.screenshot())).convert("RGB")
    w, h = image.size
    side = min(w, int(h * THUMB[0] / THUMB[1]))
    return image.crop(((w - side) // 2, 0, (w + side) // 2, h)).resize(THUMB, Image.Resampling.LANCZOS)


def sheet(rows: list[tuple[str, list[Image.Image]]], columns: list[str]) -> Image.Image:
    """Pictures in rows, named."""
    left, top = 170, 22
    out = Image.new("RGB", (left + THUMB[0] * len(columns), top + THUMB[1] * len(rows)), (0xF3, 0xF3, 0xF1))
    pen = ImageDraw.Draw(out)
    for k, name in enumerate(columns):
        pen.text((left + THUMB[0] * (k + 0.5), 3), name, fill=(34, 38, 42), anchor="ma", font_size=16)
    for j, (name, pictures) in enumerate(rows):
        pen.text(
            (6, top + THUMB[1] * (j + 0.5)),
            name.replace(" and ", "\nand "),
            fill=(34, 38, 42),
            anchor="lm",
            font_size=18,
        )
        for k, picture in enumerate(pictures):
            out.paste(picture, (left + THUMB[0] * k, top + THUMB[1] * j))
    return out


#: Of a server that is gone when the pictures are made.
PASSWORD = secrets.token_urlsafe(20)


def main() -> None:
    """Build the objects, start, shoot, put together."""
    import django

    shutil.rmtree(DATA, ignore_errors=True)
    if os.environ.get("LIMUS_BENCH") == "quick":
        os.environ["LIMUS_READINGS_RESOLUTION"] = "128"
    DATA.mkdir(parents=True)
    OUT.mkdir(parents=True, exist_ok=True)
    django.setup()
    from django.contrib.auth import get_user_model
    from django.core.management import call_command

    from limus.formats.gltf_write import glb_bytes
    from server.projects.intake import take_in
    from server.projects.models import Project
    from server.projects.workshop import session_of

    call_command("migrate", verbosity=0)
    # Without the demo project, which takes a minute to build and is in no picture.
    user = get_user_model().objects.create_user("gallery", password=PASSWORD)
    project = Project.objects.create(owner=user, name="Gallery")
    shortest = os.environ.get("LIMUS_BENCH") == "quick"
    quick = bool(os.environ.get("QUICK")) or shortest
    meshes = objects(1 if shortest else 5 if quick else 99)
    # A page that is built anew beside it would take the one away that is looked at.
    shutil.copytree(ROOT / "web" / "dist", DATA / "web")
    items = {}
    for name, mesh in meshes.items():
        print(f"Measuring {name}", flush=True)
        items[name] = take_in(
            project,
            f"{name.replace(' ', '-')}.glb",
            [glb_bytes(mesh)],
            Scene(name=name, object=ObjectFile(file="x.glb")),
        )
        session_of(items[name].scene()).measure("draft", lambda share, word: None)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = subprocess.Popen(
        [sys.executable, "manage.py", "serve", "--port", str(port)],
        cwd=ROOT,
        stdout=subprocess.PIPE,
        text=True,
        env={**os.environ, "LIMUS_WEB": str(DATA / "web")},
    )
    assert server.stdout is not None
    kinds = [
        k for k in (os.environ.get("KINDS") or ("rust" if shortest else ",".join(EFFECTS))).split(",") if k in EFFECTS
    ]
    first_five, combined = list(meshes)[:5], []
    try:
        for line in server.stdout:
            if "ready" in line:
                break
        with sync_playwright() as play:
            page = play.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS).new_page(
                viewport={"width": 1180, "height": 760}
            )
            page.goto(f"http://127.0.0.1:{port}/sign-in/")
            page.locator("[name=username]").fill("gallery")
            page.locator("[name=password]").fill(PASSWORD)
            page.locator("[type=submit]").click()
            page.wait_for_url(f"http://127.0.0.1:{port}/*")
            # What comes near is another picture; and where only that it runs is wanted, coarsely drawn.
            page.evaluate("localStorage['limus.close'] = 'off'")
            if shortest:
                page.evaluate("localStorage['limus.plain'] = '1'; localStorage['limus.size'] = '256'")
            page.evaluate("localStorage['limus.light'] = JSON.stringify({ azimuth: -70, elevation: 28, strength: 1 })")
            for kind in kinds:
                rows = []
                for level in ("default",) if quick else ("low", "default", "high"):
                    pictures = []
                    for name, mesh in meshes.items():
                        item = items[name]
                        item.refresh_from_db()
                        assert item.head is not None
                        made = scene_of(
                            kind, level, name, ObjectSize(mesh.diagonal), item.head.document["object"]["file"]
                        )
                        made = made.model_copy(
                            update={"object": ObjectFile.model_validate(item.head.document["object"])}
                        )
                        item.commit(item.head_id, made.model_dump(mode="json"), kind)
                        url = f"http://127.0.0.1:{port}/object/{item.pk}/weather"
                        pictures.append(shot(page, url, 256 if shortest else 1024))
                        if level == "default":
                            uneven, change, note = measures(session_of(made), made)
                            print(
                                f"{kind:12s} {name:12s} evenness {uneven:5.2f}  changes color "
                                f"{change.colour:6.2f}/255 (at its place {change.colour_there:6.1f})"
                                f"  other {change.other:6.3f} ({change.other_there:5.3f})  "
                                f"{'' if change.seen else note or 'NOT SEEN'}",
                                flush=True,
                            )
                    rows.append((level, pictures))
                    if level == "default":
                        near = (32, 14, 218, 180)
                        combined.append(
                            (
                                EFFECTS[kind].title,
                                [one.crop(near).resize(THUMB, Image.Resampling.LANCZOS) for one in pictures[:5]],
                            )
                        )
                sheet(rows, list(meshes)).save(OUT / f"{kind}.png")
                print(f"var/gallery/{kind}.png", flush=True)
        if os.environ.get("COMBINED"):
            # Two columns of effects: one would be a strip that no screen shows at once.
            half = -(-len(combined) // 2)
            left, right = sheet(combined[:half], first_five), sheet(combined[half:], first_five)
            whole = Image.new("RGB", (left.width + right.width, left.height), (0xF3, 0xF3, 0xF1))
            whole.paste(left, (0, 0))
            whole.paste(right, (left.width, 0))
            whole = whole.resize((whole.width * 3 // 5, whole.height * 3 // 5), Image.Resampling.LANCZOS)
            # Few colours besides greys and greens are there; a palette by their number would lose them.
            whole.save(ROOT / "docs" / "screenshots" / "effects.png", optimize=True)
    finally:
        server.terminate()
        server.wait(20)
        shutil.rmtree(DATA, ignore_errors=True)


if __name__ == "__main__":
    main()
