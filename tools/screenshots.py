"""Take the pictures in docs/screenshots/ from the demo: a server of its own on a free port, a real browser."""

from __future__ import annotations

import io
import itertools
import os
import shutil
import socket
import subprocess
import sys
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np
from PIL import Image, ImageDraw
from playwright.sync_api import Page, sync_playwright
from scipy.ndimage import gaussian_filter

from demo import pier_cap, scenario, slate_panel
from limus.bases.choice import from_stock
from limus.bases.store_room import STOCK
from limus.common.colour import to_srgb
from limus.common.object_size import ObjectSize
from limus.common.store import Store
from limus.document.scene import Layer, ObjectFile, Scene
from limus.effects.chipping import Chipping
from limus.effects.paint import Paint
from limus.effects.rust import Rust
from limus.playing.chronicle import Chronicle
from limus.readings.measured import measure
from limus.review.picture import Picture
from limus.review.sample import sample_picture
from limus.review.surface_picture import surface_picture
from limus.surface.mesh import Mesh, Part
from limus.surface.pyramid import texels_of

ROOT = Path(__file__).resolve().parents[1]
OUT = ROOT / "docs" / "screenshots"
FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
    "--use-angle=swiftshader",
    "--enable-unsafe-swiftshader",
]


def settle(page: Page) -> None:
    """Wait until the page says that it is at rest, and pictures are there."""
    ready = "document.documentElement.dataset.rest === 'yes' && [...document.images].every(i => i.complete)"
    page.evaluate("new Promise(done => requestAnimationFrame(() => setTimeout(done)))")
    page.locator("html[data-rest=yes]").wait_for(state="attached", timeout=300_000)
    while not page.evaluate(ready):
        page.locator("html[data-rest=yes]").wait_for(state="attached", timeout=300_000)


def shoot(page: Page, name: str) -> None:
    """One picture."""
    settle(page)
    page.mouse.move(430, 20)
    page.wait_for_timeout(400)
    page.screenshot(path=OUT / f"{name}.png")
    print(f"docs/screenshots/{name}.png")


def draw(page: Page, canvas: str, *points: tuple[float, float], release: bool = True) -> None:
    """Drag along points, given as shares of an element's width and height."""
    box = page.locator(canvas).first.bounding_box()
    assert box is not None
    places = [(box["x"] + x * box["width"], box["y"] + y * box["height"]) for x, y in points]
    page.mouse.move(*places[0])
    page.mouse.down()
    for a, b in itertools.pairwise(places):
        for k in range(1, 7):
            page.mouse.move(a[0] + (b[0] - a[0]) * k / 6, a[1] + (b[1] - a[1]) * k / 6)
            page.wait_for_timeout(40)
    page.wait_for_timeout(900)
    if release:
        page.mouse.up()
        settle(page)


def near(page: Page) -> None:
    """A place of the hoist 40 mm wide: as fine as the maps are, and as one sees it that near."""
    page.get_by_role("button", name="Frame").click()
    button = page.get_by_test_id("close-up")
    if button.get_attribute("aria-pressed") == "true":
        button.click()
    page.mouse.move(520, 290)
    for _ in range(17):
        page.mouse.wheel(0, -240)
        page.wait_for_timeout(60)
    pictures = []
    for _ in range(2):
        page.mouse.move(430, 20)
        settle(page)
        page.wait_for_timeout(900)
        settle(page)
        pictures.append(Image.open(io.BytesIO(page.locator("section.view canvas").first.screenshot())).convert("RGB"))
        button.click()
    wide, tall = pictures[0].size
    both = Image.new("RGB", (2 * (wide // 2) + 6, tall), (255, 255, 255))
    for k, picture in enumerate(pictures):
        both.paste(picture.crop((wide // 4, 0, wide // 4 + wide // 2, tall)), (k * (wide // 2 + 6), 0))
    both.save(OUT / "near.png", optimize=True)
    print("docs/screenshots/near.png")
    page.get_by_role("button", name="Frame").click()
    settle(page)


def by_hand(page: Page) -> None:
    """A recipe with a line open, a stroke on the object, and one on the UV view; undone again."""
    page.locator("[data-layer=dirt]").click()
    settle(page)
    more = page.get_by_role("button", name="Add a line…")
    # What is open closes when the sheet below it scrolls.
    more.scroll_into_view_if_needed()
    page.wait_for_timeout(300)
    more.click()
    page.get_by_role("menuitem", name="Cells").click()
    settle(page)
    page.get_by_role("button", name="Curve, edge and coverage").click()
    page.locator("[data-field=curve] .p-toggleswitch").click()
    settle(page)
    page.locator(".term.open").evaluate("line => line.scrollIntoView({ block: 'start' })")
    shoot(page, "recipe")
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
        settle(page)
    page.locator("[data-layer=rust]").click()
    page.locator("[data-layer=rust]").press("h")
    page.locator("#brush-size").fill("45")
    page.locator("#brush-size").press("Enter")
    draw(page, "section.view canvas", (0.40, 0.42), (0.46, 0.52), (0.44, 0.66), release=False)
    page.screenshot(path=OUT / "painting.png")
    print("docs/screenshots/painting.png")
    page.mouse.up()
    settle(page)
    page.keyboard.press("m")
    page.keyboard.press("u")
    settle(page)
    draw(page, "[data-testid=uv-canvas]", (0.1, 0.06), (0.3, 0.1), (0.55, 0.07))
    page.keyboard.press("u")
    page.keyboard.press("Escape")
    page.keyboard.press("l")
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
        settle(page)


def bases(page: Page) -> None:
    """The Base stage on the pier cap, near enough for its relief."""
    number = page.evaluate(
        "fetch('/api/projects').then(r => r.json()).then(p => p[0].objects.find(o => o.name == 'Pier cap').id)"
    )
    home = page.url.split("/object/")[0]
    here = page.url
    page.goto(f"{home}/object/{number}/base")
    page.locator("[data-stock]").first.wait_for()
    page.get_by_test_id("view-label").get_by_text("1024").wait_for(timeout=120000)
    settle(page)
    page.get_by_role("button", name="Page after").click()
    page.mouse.move(640, 330)
    for _ in range(3):
        page.mouse.wheel(0, -240)
        page.wait_for_timeout(150)
    settle(page)
    for _ in range(200):
        if page.evaluate("[...document.querySelectorAll('.shelf img')].every(i => i.naturalWidth > 0)"):
            break
        page.wait_for_timeout(200)
    page.locator("[data-base='3']").click()
    page.get_by_role("tab", name="Placing").click()
    shoot(page, "base")
    with TemporaryDirectory() as folder:
        files = texture_files(Path(folder))
        page.get_by_role("button", name="Texture files…").click()
        page.locator("input[aria-label='Texture files']").set_input_files(files)
        page.get_by_role("button", name="Use as base").wait_for()
    page.get_by_role("button", name="Cancel").click()
    page.goto(here)
    settle(page)


def texture_files(folder: Path) -> list[Path]:
    """A small set, made here: pebbles, their relief, and a packed map."""
    noise = gaussian_filter(np.random.default_rng(4).random((256, 256)), 5, mode="wrap")
    height = (noise - noise.min()) / np.ptp(noise)
    right, down = ((np.roll(height, -1, a) - np.roll(height, 1, a)) * 6 for a in (1, 0))
    normal = np.stack([-right, -down, np.ones_like(height)], axis=2)
    normal /= np.linalg.norm(normal, axis=2, keepdims=True)
    colour = height[..., None] * np.array([0.55, 0.48, 0.40]) + 0.18
    packed = np.stack([0.5 + 0.5 * height, 0.9 - 0.3 * height, np.zeros_like(height)], axis=2)
    out = []
    for name, values in (
        ("Quay_BaseColor.png", colour),
        ("Quay_Normal.png", normal * 0.5 + 0.5),
        ("Quay_ORM.png", packed),
        ("Quay_Height.png", height),
    ):
        Image.fromarray(np.round(values * 255).astype(np.uint8)).save(folder / name)
        out.append(folder / name)
    return out


def contact_sheet() -> None:
    """Every base of the store room on one shape."""
    wide, tall, columns = 250, 206, 5
    rows = -(-len(STOCK) // columns)
    sheet = Image.new("RGB", (wide * columns, (tall + 18) * rows), (0x86, 0x86, 0x86))
    pen = ImageDraw.Draw(sheet)
    for k, stock in enumerate(STOCK.values()):
        x, y = k % columns * wide, k // columns * (tall + 18)
        sheet.paste(Image.fromarray(sample_picture(from_stock(stock.name), stock.shown_mm, (wide, tall))), (x, y))
        pen.text((x + wide / 2, y + tall), f"{stock.name}, {stock.shown_mm:g} mm", fill=(20, 22, 24), anchor="ma")
    sheet.save(OUT / "store-room.png", optimize=True)
    print("docs/screenshots/store-room.png")


def of_use(page: Page) -> None:
    """An episode through the years, and the picker."""
    page.locator("[data-episode=weather]").scroll_into_view_if_needed()
    page.locator("[data-episode=weather]").click()
    page.get_by_test_id("by-years").click()
    dial = page.get_by_role("slider", name="Year", exact=True)
    dial.focus()
    for _ in range(8):
        page.keyboard.press("ArrowLeft")
    dial.blur()
    shoot(page, "episodes")
    page.get_by_role("button", name="Today").click()
    page.get_by_test_id("by-years").click()
    page.get_by_test_id("add-layer").scroll_into_view_if_needed()
    page.get_by_test_id("add-layer").click()
    page.get_by_role("button", name="A treatment").click()
    page.locator(".effect .picture img").nth(13).wait_for(timeout=120000)
    page.screenshot(path=OUT / "picker.png")
    print("docs/screenshots/picker.png")
    page.keyboard.press("Escape")
    page.wait_for_timeout(500)


def delivering(page: Page) -> None:
    """An export with a map that is looked at, and a batch of the project; comes back to where it began."""
    began = page.url
    page.get_by_role("combobox", name="Target", exact=True).click()
    page.get_by_role("option", name="Maps", exact=True).click()
    settle(page)
    one = page.get_by_test_id("files").get_by_role("button").first
    one.scroll_into_view_if_needed()
    one.click()
    page.get_by_role("dialog").locator("img").wait_for()
    settle(page)
    page.wait_for_timeout(500)
    page.screenshot(path=OUT / "export.png")
    print("docs/screenshots/export.png")
    page.keyboard.press("Escape")
    page.get_by_role("link", name="Limus, all projects").click()
    page.get_by_role("link", name="Batch of").first.click()
    settle(page)
    for row in range(2, page.locator("[data-row]").count() + 2):
        page.get_by_role("combobox", name=f"Size of row {row}").click()
        page.get_by_role("option", name="512", exact=True).click()
        page.get_by_role("listbox").wait_for(state="detached")
    page.get_by_role("combobox", name="Treatment of row 3").click()
    page.get_by_role("option").nth(2).click()
    settle(page)
    page.get_by_test_id("begin").click()
    page.get_by_test_id("download").wait_for(timeout=300_000)
    shoot(page, "batch")
    page.goto(began)
    settle(page)


def review(page: Page) -> None:
    """A photograph beside the surface, read; the surface in all lights; the values of a bracket."""
    photograph = ROOT / "var" / "weir-gate-2.png"
    Image.fromarray(gate_panel()).save(photograph)
    page.get_by_label("Photographs to hang on the wall").set_input_files(photograph)
    settle(page)
    for tool, points in (
        ("Grey card", ((0.03, 0.03), (0.1, 0.1))),
        ("Region", ((0.12, 0.16), (0.94, 0.84))),
    ):
        page.get_by_role("button", name=tool, exact=True).click()
        draw(page, ".paper > img", *points)
        settle(page)
    page.get_by_role("button", name="Scale", exact=True).click()
    box = page.locator(".paper > img").first.bounding_box()
    assert box is not None
    for x in (0.12, 0.92):
        page.mouse.click(box["x"] + x * box["width"], box["y"] + 0.92 * box["height"])
    page.get_by_label("Length between the two points in mm").fill("320")
    page.keyboard.press("Enter")
    settle(page)
    page.get_by_role("button", name="Read it").click()
    settle(page)
    page.get_by_label("Layer to set").click()
    page.get_by_role("option", name="Knocked about", exact=True).click()
    page.get_by_role("button", name="Find settings").click()
    settle(page)
    page.get_by_role("heading", name="Set on").scroll_into_view_if_needed()
    shoot(page, "review")
    page.get_by_role("button", name="Close the photograph").click()
    page.get_by_role("button", name="In all lights", exact=True).click()
    page.locator("[data-light=low-sun]").click()
    page.get_by_role("region", name="In all lights").locator("img").nth(7).wait_for(timeout=120000)
    page.get_by_role("tab", name="Condition").click()
    shoot(page, "lights")
    page.locator("[data-light=north]").click()
    page.get_by_role("link", name="Weather").click()
    page.locator("[data-layer=chipping]").click()
    settle(page)
    page.locator("[data-field=coverage]").get_by_role("button", name="try values").click()
    shoot(page, "brackets")


def gate_panel() -> np.ndarray:
    """(h, w, 3) uint8: a "photograph" of a chipped panel in evening light, with a grey card in its corner."""
    size = ObjectSize(0.4)
    texels = texels_of(plate(0.4), 1024)
    layers = [
        Layer(id="paint", name="Paint", effect=Paint()),
        Layer(
            id="chips",
            name="Chips",
            effect=Chipping.fitted(size).model_copy(update={"size_mm": 14.0, "coverage": 0.11, "cluster": 0.7}),
        ),
        Layer(id="rust", name="Rust", effect=Rust.fitted(size).model_copy(update={"runs": 0.2})),
    ]
    scene = Scene(object=ObjectFile(file="panel.glb"), layers=layers)
    pile = Chronicle(texels, measure(texels), Store(1 << 30)).play(scene)[-1].pile
    linear = texels.image(pile.visible()["base_color"], empty=0.02)[0][40:-40, 40:-40]
    rng = np.random.default_rng(2)
    light = np.array([1.2, 1.0, 0.8]) * np.linspace(0.85, 1.15, linear.shape[0])[:, None, None]
    linear = linear * light * (1 + 0.04 * rng.normal(size=(*linear.shape[:2], 1)))
    linear[20:110, 20:110] = 0.18 * np.array([1.2, 1.0, 0.8]) * 0.87
    return np.round(to_srgb(linear.astype(np.float32)) * 255).astype(np.uint8)


def plate(side: float) -> Mesh:
    """A flat plate that faces +z."""
    h = side / 2
    corners = np.array([[-h, -h, 0], [h, -h, 0], [h, h, 0], [-h, h, 0]], np.float32)
    uv = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32)
    triangles = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    normals = np.tile(np.array([[0, 0, 1]], np.float32), (4, 1))
    return Mesh(
        positions=corners, normals=normals, uv=uv, tangents=None, colours=None, triangles=triangles,
        parts=(Part("panel", 0, 2, 0),), uv_domains=("panel",),
    )  # fmt: skip


def states() -> None:
    """Pier cap and slate panel, dry, wet and in winter, on one sheet, drawn by the core: relief as moved meshes takes
    minutes without a graphics card.
    """
    rows = []
    for build, scene, elevation in (
        (pier_cap.build, scenario.pier_cap_scene(), 38.0),
        (slate_panel.build, scenario.slate_panel_scene(), 24.0),
    ):
        texels = texels_of(build(), 1024)
        chronicle = Chronicle(texels, measure(texels), Store(3 << 30))
        row = []
        for snapshot in scene.snapshots:
            surface = chronicle.finish(chronicle.play(scene.at_snapshot(snapshot.id))[-1].pile)
            picture = Picture.of(texels, 546, 400, azimuth=35.0, elevation=elevation, supersample=2)
            row.append(
                surface_picture(texels, picture, surface.sheet, surface.normal, surface.occlusion, 35.0, elevation)
            )
        rows.append(np.concatenate(row, axis=1))
    Image.fromarray(np.concatenate(rows)).save(OUT / "states.png")
    print("docs/screenshots/states.png")


def main() -> None:
    """Start, walk through, shoot, stop."""
    OUT.mkdir(parents=True, exist_ok=True)
    contact_sheet()
    states()
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    data = ROOT / "var" / "screenshots"
    shutil.rmtree(data, ignore_errors=True)
    env = {**os.environ, "LIMUS_DATA": str(data), "LIMUS_CACHE": str(ROOT / "var" / "readings")}
    server = subprocess.Popen(
        [sys.executable, "manage.py", "serve", "--demo", "--port", str(port)],
        cwd=ROOT,
        env=env,
        stdout=subprocess.PIPE,
        text=True,
    )
    assert server.stdout is not None
    try:
        for line in server.stdout:
            if "ready" in line:
                break
        with sync_playwright() as play:
            browser = play.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)
            page = browser.new_page(viewport={"width": 1280, "height": 800})
            page.goto(f"http://127.0.0.1:{port}/")
            page.get_by_test_id("view-label").get_by_text("1024").wait_for(timeout=60000)
            page.locator("[data-layer=chipping]").click()
            settle(page)
            page.mouse.move(560, 250)
            for _ in range(3):
                page.mouse.wheel(0, -240)
                page.wait_for_timeout(120)
            shoot(page, "weather")
            near(page)
            of_use(page)
            page.locator("[data-layer=chipping]").click()
            page.keyboard.press("m")
            page.keyboard.press("u")
            shoot(page, "mask")
            page.keyboard.press("u")
            page.keyboard.press("l")
            page.keyboard.press("?")
            page.locator('[data-page="effect:rust"]').click()
            page.locator("article figure img").nth(5).scroll_into_view_if_needed()
            settle(page)
            page.locator("article").evaluate("e => (e.scrollTop = 0)")
            shoot(page, "guide")
            page.keyboard.press("Escape")
            by_hand(page)
            page.get_by_role("link", name="Export").click()
            delivering(page)
            bases(page)
            page.get_by_role("link", name="Object", exact=True).click()
            page.get_by_test_id("quality").wait_for()
            shoot(page, "object")
            page.get_by_role("tab", name="Around it").click()
            page.get_by_role("button", name="Bring a twin…").click()
            page.get_by_role("button", name="gate-hoist-high.glb").click()
            page.get_by_role("button", name="Use as the twin").click()
            page.get_by_text("parts match by name").wait_for(timeout=60000)
            page.get_by_role("button", name="Add…", exact=True).click()
            page.get_by_role("menuitem", name="Gauge board").click()
            page.locator("[data-neighbour]").wait_for()
            page.get_by_test_id("quality").get_by_text("Good", exact=True).wait_for(timeout=240000)
            shoot(page, "around")
            page.get_by_role("link", name="Review", exact=True).click()
            review(page)
            browser.close()
    finally:
        server.terminate()
        server.wait(20)
        shutil.rmtree(data, ignore_errors=True)


if __name__ == "__main__":
    main()
