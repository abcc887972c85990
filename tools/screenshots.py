"""Take the pictures in docs/screenshots/ from the demo: a server of its own on a free port, a real browser."""

from __future__ import annotations

import itertools
import os
import shutil
import socket
import subprocess
import sys
import time
from pathlib import Path

from playwright.sync_api import Page, sync_playwright

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


def settle(page: Page, quiet: float = 1.5) -> None:
    """Wait for the frame that shows the last change."""
    last, since = "", time.monotonic()
    while time.monotonic() - since < quiet:
        now = page.evaluate("(document.querySelector('canvas')?.dataset.frame ?? '') + document.querySelector('.label')?.innerText")
        if now != last or page.locator(".busy").count():
            last, since = now, time.monotonic()
        page.wait_for_timeout(100)


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


def by_hand(page: Page) -> None:
    """A recipe with a line open, a stroke on the object, and one on the UV view; undone again."""
    page.locator("[data-layer=dirt]").click()
    settle(page)
    page.get_by_role("button", name="Add a line…").click()
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
    shoot(page, "uv-painting")
    page.keyboard.press("u")
    page.keyboard.press("Escape")
    page.keyboard.press("l")
    for _ in range(2):
        page.get_by_role("button", name="Undo").click()
        settle(page)


def main() -> None:
    """Start, walk through, shoot, stop."""
    OUT.mkdir(parents=True, exist_ok=True)
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    data = ROOT / "var" / "screenshots"
    shutil.rmtree(data, ignore_errors=True)
    env = {**os.environ, "LIMUS_DATA": str(data), "LIMUS_CACHE": str(ROOT / "var" / "readings")}
    server = subprocess.Popen(
        [sys.executable, "manage.py", "serve", "--demo", "--port", str(port)], cwd=ROOT, env=env, stdout=subprocess.PIPE, text=True
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
            page.keyboard.press("m")
            page.keyboard.press("u")
            shoot(page, "mask")
            page.keyboard.press("u")
            page.locator("[data-look=curvature]").click()
            shoot(page, "curvature")
            page.keyboard.press("l")
            by_hand(page)
            page.get_by_role("link", name="Export").click()
            shoot(page, "export")
            page.get_by_role("link", name="Object", exact=True).click()
            page.get_by_test_id("quality").wait_for()
            shoot(page, "object")
            page.locator("[data-look=uv-checker]").click()
            page.keyboard.press("u")
            shoot(page, "checker")
            page.keyboard.press("u")
            page.get_by_role("tab", name="Setting").click()
            page.locator(".band [data-look=runoff]").click()
            shoot(page, "runoff")
            page.locator("[data-look=runoff]").blur()
            page.keyboard.press("l")
            page.get_by_role("tab", name="Around it").click()
            page.get_by_role("button", name="Bring a twin…").click()
            page.get_by_role("button", name="gate-hoist-high.glb").click()
            page.get_by_role("button", name="Use as the twin").click()
            page.get_by_text("parts match by name").wait_for(timeout=60000)
            page.get_by_role("button", name="Add a neighbour…").click()
            page.get_by_role("menuitem", name="Gauge board").click()
            page.locator("[data-neighbour]").wait_for()
            page.get_by_test_id("quality").get_by_text("Good", exact=True).wait_for(timeout=240000)
            shoot(page, "around")
            page.get_by_label("Limus, all projects").click()
            page.locator("main.start li").nth(2).wait_for()
            for _ in range(300):
                if page.evaluate("[...document.querySelectorAll('main.start img')].every(i => i.naturalWidth > 0)"):
                    break
                page.wait_for_timeout(200)
            page.mouse.move(640, 700)
            page.screenshot(path=OUT / "projects.png")
            print("docs/screenshots/projects.png")
            browser.close()
    finally:
        server.terminate()
        server.wait(20)
        shutil.rmtree(data, ignore_errors=True)


if __name__ == "__main__":
    main()
