"""A real browser on the real application: headless Chromium, WebGL in software."""

from __future__ import annotations

import inspect
import io
import os
import re
import shutil
import threading
import time
from collections.abc import Callable
from ctypes.util import find_library
from typing import Any, ClassVar
from unittest import TestResult, TestSuite

import numpy as np
from django.apps import apps
from django.contrib.auth import get_user_model
from django.contrib.staticfiles.testing import StaticLiveServerTestCase
from django.core.management import call_command
from django.db import connections
from django.db.models import Model
from django.test import override_settings
from PIL import Image
from playwright.sync_api import Browser, Locator, Page, Playwright, sync_playwright

from server.jobs.models import Job
from server.projects.models import Facts, WorkObject
from server.work import runner
from tests.core.stories import short_story
from tests.live import Front

#: Mesa draws a frame in half the processor time of the browser's own software renderer, and keeps what it compiled.
DRAWS = (
    ["--use-gl=angle", "--use-angle=gles-egl", "--ignore-gpu-blocklist"]
    if find_library("EGL_mesa")
    else ["--use-angle=swiftshader", "--enable-unsafe-swiftshader"]
)
FLAGS = [
    "--no-sandbox", "--disable-quic", "--no-first-run", "--disable-background-networking",
    "--disable-component-update", "--disable-sync", "--disable-gpu-compositing", *DRAWS,
]  # fmt: skip
PATIENCE = 90_000
#: Ends when the page says that it is at rest and all pictures are there, or with what it waits for. Asked here and not
#: by looking again and again from outside, which comes half a second late.
AT_REST = """patience => new Promise(done => {
  const began = performance.now(), root = document.documentElement
  const look = () => {
    if (root.dataset.rest === 'yes' && [...document.images].every(i => i.complete)) done('')
    else if (performance.now() - began > patience) done(root.dataset.rest ?? 'nothing')
    else setTimeout(look, 15)
  }
  look()
})"""


@override_settings(DEMO_SIGN_IN=True, READINGS_RESOLUTION=128, ALLOWED_HOSTS=["localhost", "127.0.0.1"])
class BrowserTest(StaticLiveServerTestCase):
    """The demo project, a task worker in a thread, and a page that fails the test on any script error.

    A class shares its server, browser, page and demo, and so do classes that follow each other (``Together``); what a
    test changed is put back after it. The view is drawn only in tests that look at its picture: every frame is drawn by
    the processor.
    """

    host = "127.0.0.1"
    server_thread_class = Front
    page: Page
    #: Resolution of the view at rest; small, but for the test that watches it sharpen.
    at_rest = 256
    #: Whether the first object of the demo will do.
    first_only = True
    #: The hoist's own story, or one of five layers.
    whole_story = False
    #: The test that is running.
    _now: ClassVar[Any] = None
    #: Whether browser, pages and demo outlive their class: others follow.
    _kept: ClassVar[bool] = False
    _play: ClassVar[Playwright | None] = None
    _browser: ClassVar[Browser]
    #: Size of the view at rest -> the page that tests share. From one class to the next it loads nothing twice, since
    #: the server stands at the same port.
    _pages: ClassVar[dict[int, Page]] = {}
    _port: ClassVar[int] = 0
    #: Which demo is loaded: ``first_only`` and ``whole_story``.
    _loaded: ClassVar[tuple[bool, bool] | None] = None
    #: id of each demo object -> id of the version it starts from.
    _heads: ClassVar[dict[int, int]] = {}
    _documents: ClassVar[dict[int, dict[str, Any]]] = {}
    #: Keys of all rows of the demo.
    _rows: ClassVar[dict[type[Model], list[Any]]] = {}

    @classmethod
    def setUpClass(cls) -> None:
        # Playwright runs an event loop in this thread; the ORM is only used between its calls.
        os.environ["DJANGO_ALLOW_ASYNC_UNSAFE"] = "true"
        cls.port = BrowserTest._port
        super().setUpClass()
        BrowserTest._port = cls.server_thread.port
        if BrowserTest._play is None:
            BrowserTest._play = sync_playwright().start()
            BrowserTest._browser = BrowserTest._play.chromium.launch(
                executable_path=shutil.which("chromium"), args=FLAGS
            )
        if BrowserTest._loaded != (cls.first_only, cls.whole_story):
            cls._empty()
            cls._load()
        cls._working = True

        def work() -> None:
            try:
                while cls._working:
                    for job in Job.objects.filter(state=Job.QUEUED).order_by("pk"):
                        runner.run(job.pk, job.attempt)
                    time.sleep(0.1)
            finally:
                connections.close_all()

        cls._thread = threading.Thread(target=work, daemon=True)
        cls._thread.start()

    @classmethod
    def tearDownClass(cls) -> None:
        cls._working = False
        cls._thread.join(20)
        if not cls._kept:
            BrowserTest.end()
        super().tearDownClass()

    @classmethod
    def end(cls) -> None:
        """Let go of what classes share, and leave an empty database to whoever follows."""
        if BrowserTest._play is None:
            return
        BrowserTest._browser.close()
        BrowserTest._play.stop()
        BrowserTest._play = None
        BrowserTest._pages.clear()
        cls._empty()
        os.environ.pop("DJANGO_ALLOW_ASYNC_UNSAFE", None)

    @classmethod
    def _load(cls) -> None:
        call_command("load_demo", verbosity=0, first=cls.first_only)
        if not cls.whole_story:
            # Five layers are enough to try the tools on, and quicker than the demo's fourteen.
            item = WorkObject.objects.get(name="Gate hoist")
            short = short_story().model_dump(mode="json")
            item.document = {**item.document, "layers": short["layers"], "episodes": []}
            item.save()
        BrowserTest._heads = dict(WorkObject.objects.values_list("pk", "head_id"))
        BrowserTest._documents = dict(WorkObject.objects.values_list("pk", "document"))
        BrowserTest._rows = {
            model: list(model._default_manager.values_list("pk", flat=True))
            for model in (
                get_user_model(),
                *(m for app in ("jobs", "projects") for m in apps.get_app_config(app).get_models()),
            )
            # What inspection found hangs on nothing but the mesh.
            if model is not Facts
        }
        BrowserTest._loaded = (cls.first_only, cls.whole_story)

    @classmethod
    def _empty(cls) -> None:
        for name in connections:
            call_command(
                "flush", verbosity=0, interactive=False, database=name, reset_sequences=False, inhibit_post_migrate=True
            )
        BrowserTest._loaded = None

    def _fixture_teardown(self) -> None:
        """The database goes with the class, not with each test; what the test changed is put back."""
        deadline = time.monotonic() + 20
        Job.objects.filter(state__in=[Job.QUEUED, Job.RUNNING]).update(cancel_requested=True)
        while Job.objects.filter(state=Job.RUNNING).exists() and time.monotonic() < deadline:
            time.sleep(0.05)
        if set(self._heads) - set(WorkObject.objects.values_list("pk", flat=True)):
            # One of the demo's own objects is gone: begin anew.
            self._empty()
            self._load()
            return
        for pk, head in self._heads.items():
            document = self._documents[pk]
            WorkObject.objects.filter(pk=pk).update(head=head, undone=[], name=document["name"], document=document)
        WorkObject.objects.exclude(pk__in=self._heads).update(head=None)
        for model, rows in self._rows.items():
            model._default_manager.exclude(pk__in=rows).delete()

    def setUp(self) -> None:
        self.faults: list[str] = []
        BrowserTest._now = self
        shared = self._pages.get(self.at_rest)
        if shared is None or shared.is_closed():
            shared = self._pages[self.at_rest] = self.tab()
        self.page = shared
        self.page.set_viewport_size({"width": 1000, "height": 700})
        # From one class to the next nobody listens; what the browser asked for by itself meanwhile is no fault of this
        # test.
        self.faults = [fault for fault in self.faults if "ERR_CONNECTION_REFUSED" not in fault]

    def tearDown(self) -> None:
        kept = [page.context for page in self._pages.values()]
        for context in self._browser.contexts:
            if context not in kept:
                context.close()
        shared = self._pages[self.at_rest]
        shared.unroute_all(behavior="ignoreErrors")
        if shared.url.startswith("http"):
            shared.evaluate("localStorage.clear(); sessionStorage.clear()")
            # Nothing of this test may go on while the scene is put back. A page of the same origin: the next test finds
            # everything loaded.
            shared.goto(f"{self.live_server_url}/static/web/mark.svg")
        self.assertEqual(self.faults, [])

    @property
    def drawn(self) -> bool:
        """Whether this test looks at the picture."""
        text = inspect.getsource(getattr(type(self), self._testMethodName))
        return bool(re.search(r"self\.(picture\w*|show)\(|screenshot\(", text))

    def tab(self, width: int = 1000, height: int = 700) -> Page:
        """A new window of its own session; small, because every frame is drawn by the processor."""
        # Without movement nothing that closes lies over what is clicked next.
        context = self._browser.new_context(
            viewport={"width": width, "height": height}, accept_downloads=True, reduced_motion="reduce"
        )
        page = context.new_page()
        page.set_default_timeout(PATIENCE)
        page.add_init_script(
            f"if (location.protocol !== 'about:') {{ localStorage['limus.plain'] = '1'; localStorage['limus.size'] "
            f"??= '{self.at_rest}' }}"
        )
        # The test that is running, not the one that opened the window.
        page.on("pageerror", lambda error: BrowserTest._now.faults.append(str(error)))
        page.on("console", BrowserTest._heard)
        return page

    @staticmethod
    def _heard(message: Any) -> None:
        wrong = message.type == "error" and "status of 4" not in message.text
        # What the graphics library complains of.
        if wrong or "GL_INVALID" in message.text:
            BrowserTest._now.faults.append(f"{message.text} {message.location.get('url', '')}".strip())

    def open(self, path: str = "/", page: Page | None = None) -> None:
        page = page or self.page
        if not page.url.startswith(self.live_server_url):
            # The store of the origin can be written once something of it is there.
            page.goto(f"{self.live_server_url}/static/web/mark.svg")
        page.evaluate(
            "drawn => { if (drawn) localStorage.removeItem('limus.view'); else localStorage.setItem('limus.view', "
            "'off') }",
            self.drawn,
        )
        page.goto(f"{self.live_server_url}{path}")
        page.get_by_test_id("view-label").get_by_text(str(self.at_rest)).wait_for()
        self.settle(page)

    def choose(self, field: str, option: str) -> None:
        """Take the option that begins with this from a list."""
        self.page.get_by_role("combobox", name=field, exact=True).click()
        self.page.get_by_role("option", name=re.compile(rf"^{re.escape(option)}\b")).click()

    def settle(self, page: Page | None = None) -> None:
        """Wait until the page says that it is at rest: nothing asked, nothing planned, the last change drawn; and
        pictures are there.
        """
        page = page or self.page
        self.frame(page)
        waits = page.evaluate(AT_REST, PATIENCE)
        self.assertEqual(waits, "", "the page never came to rest")

    def frame(self, page: Page | None = None, count: int = 1) -> None:
        """Wait until what was done is on the screen: so many frames."""
        for _ in range(count):
            (page or self.page).evaluate("new Promise(done => requestAnimationFrame(() => setTimeout(done)))")

    def until(self, holds: Callable[[], bool], page: Page | None = None) -> None:
        """Wait until something holds that the page does not say."""
        limit = time.monotonic() + PATIENCE / 1000
        while not holds():
            self.assertLess(time.monotonic(), limit, "it never came to be")
            self.frame(page)

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

    def _to_rest(self, what: Locator) -> Locator:
        what.scroll_into_view_if_needed()
        self.frame(count=2)
        return what

    def pick(self, opener: Locator, choice: Locator) -> None:
        """Open a list and take a line of it."""
        self._to_rest(opener).click()
        choice.click()

    def add(self, kind: str) -> None:
        """Lay a layer of this effect over the others."""
        cards = self.page.locator("[data-layer]")
        more = cards.count()
        self.pick(self.page.get_by_test_id("add-layer"), self.page.locator(f"[data-effect={kind}]"))
        cards.nth(more).wait_for()
        self.settle()

    def take(self, grip: Locator, by: tuple[float, float], *, steps: int = 5, release: bool = True) -> None:
        """Take something with the mouse, once it keeps still and nothing lies over it, and move it by pixels."""
        grip.hover()
        box: Any = grip.bounding_box()
        x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
        self.page.mouse.move(x, y)
        self.page.mouse.down()
        for k in range(1, steps + 1):
            self.page.mouse.move(x + by[0] * k / steps, y + by[1] * k / steps)
            self.frame()
        if release:
            self.page.mouse.up()

    def slide(self, field: str, by: int, *, release: bool = True) -> None:
        """Take the handle of a slider and move it by pixels."""
        handle = self.page.locator(f"[data-field={field}] .p-slider-handle")
        handle.scroll_into_view_if_needed()
        self.take(handle, (by, 0), release=release)


class Together(TestSuite):
    """Classes of browser tests, one after the other in one process, with one browser and one demo for all."""

    def run(self, result: TestResult, debug: bool = False) -> TestResult:
        """As any suite."""
        BrowserTest._kept = True
        try:
            return super().run(result, debug)
        finally:
            BrowserTest._kept = False
            BrowserTest.end()
