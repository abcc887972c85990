"""A real browser on the real application: headless Chromium, WebGL in software."""

from __future__ import annotations

import io
import os
import shutil
import threading
import time
from typing import Any

import numpy as np
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.core.management import call_command
from django.db import connections
from django.test import override_settings
from django_tasks_db.management.commands.db_worker import Worker
from PIL import Image
from playwright.sync_api import Page, sync_playwright

FLAGS = [
    "--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync",
    "--use-angle=swiftshader", "--enable-unsafe-swiftshader",
]  # fmt: skip
PATIENCE = 90_000


@override_settings(DEMO_SIGN_IN=True, READINGS_RESOLUTION=256, ALLOWED_HOSTS=["localhost", "127.0.0.1"])
class BrowserTest(StaticLiveServerTestCase):
    """The demo project, a task worker in a thread, and a page that fails the test on any script error."""

    host = "127.0.0.1"
    page: Page
    #: Resolution of the view at rest; small, but for the test that watches it sharpen.
    at_rest = 512
    #: Whether the first object of the demo will do.
    first_only = True

    @classmethod
    def setUpClass(cls) -> None:
        # Playwright runs an event loop in this thread; the ORM is only used between its calls.
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
        super().setUpClass()
        cls._play = sync_playwright().start()
        cls._browser = cls._play.chromium.launch(executable_path=shutil.which("chromium"), args=FLAGS)

    @classmethod
    def tearDownClass(cls) -> None:
        cls._browser.close()
        cls._play.stop()
        super().tearDownClass()

    def setUp(self) -> None:
        call_command("load_demo", verbosity=0, first=self.first_only)
        self._worker = Worker(
            queue_names=["*"],
            interval=0.1,
            batch=False,
            backend_name="default",
            startup_delay=False,
            max_tasks=None,
            worker_id="test",
            excluded_queue_names=[],
        )

        def work() -> None:
            try:
                self._worker.run()
            finally:
                connections.close_all()

        self._thread = threading.Thread(target=work, daemon=True)
        self._thread.start()
        self.faults: list[str] = []
        self.page = self.tab()

    def tearDown(self) -> None:
        self._worker.running = False
        self._thread.join(20)
        for context in self._browser.contexts:
            context.close()
        self.assertEqual(self.faults, [])

    def tab(self, width: int = 1000, height: int = 700) -> Page:
        """A new window of its own session; small, because every frame is drawn by the processor."""
        page = self._browser.new_context(viewport={"width": width, "height": height}, accept_downloads=True).new_page()
        page.set_default_timeout(PATIENCE)
        page.add_init_script(f"localStorage.setItem('limus.plain', '1'); localStorage['limus.size'] ??= '{self.at_rest}'")
        page.on("pageerror", lambda error: self.faults.append(str(error)))
        page.on(
            "console",
            lambda message: (
                self.faults.append(message.text) if message.type == "error" and "status of 4" not in message.text else None
            ),
        )
        return page

    def open(self, path: str = "/", page: Page | None = None) -> None:
        page = page or self.page
        page.goto(f"{self.live_server_url}{path}")
        page.get_by_test_id("view-label").get_by_text(str(self.at_rest)).wait_for()
        self.settle(page)

    def settle(self, page: Page | None = None, quiet: float = 0.5) -> None:
        """Wait until nothing is under way and the frame that shows the last change was drawn."""
        page = page or self.page
        last, since, limit = "", time.monotonic(), time.monotonic() + PATIENCE / 1000
        while time.monotonic() < limit:
            now = page.evaluate(
                "(document.querySelector('canvas')?.dataset.frame ?? '') + document.querySelector('.label')?.innerText + document.querySelector('.saved')?.innerText"
            )
            if now != last or page.locator(".busy").count() or "Saving" in now:
                last, since = now, time.monotonic()
            elif time.monotonic() - since > quiet:
                return
            page.wait_for_timeout(80)
        self.fail("the view never came to rest")

    def picture(self, page: Page | None = None) -> np.ndarray:
        """(h, w, 3) float: what the canvas shows, without the interface over it."""
        canvas = (page or self.page).locator("section.view canvas").first
        image = Image.open(io.BytesIO(canvas.screenshot())).convert("RGB")
        array = np.asarray(image).astype(float)
        height, width = array.shape[:2]
        return array[height // 8 : height * 3 // 4, width // 4 : width * 3 // 4]

    def order(self) -> list[str]:
        """Ids of the layers from left to right."""
        return self.page.locator("[data-layer]").evaluate_all("cards => cards.map(c => c.dataset.layer)")

    def label(self) -> str:
        return " ".join(self.page.get_by_test_id("view-label").inner_text().split())

    def slide(self, field: str, by: int, *, release: bool = True) -> None:
        """Take the handle of a slider and move it by pixels."""
        handle = self.page.locator(f"[data-field={field}] .p-slider-handle")
        handle.scroll_into_view_if_needed()
        box: Any = handle.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        for k in range(1, 6):
            self.page.mouse.move(x + by * k / 5, y)
            self.page.wait_for_timeout(60)
        if release:
            self.page.mouse.up()
