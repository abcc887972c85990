"""No stage, dialog or theme breaks a rule that a machine can see: WCAG 2.2 AA and best practice, by axe-core (Deque,
MPL 2.0).
"""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from server.projects.models import WorkObject
from tests.browser.base import BrowserTest

RULES = "['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']"


class Rules(BrowserTest):
    def check(self, what: str) -> None:
        self.page.evaluate(self.axe)
        found = self.page.evaluate(f"axe.run(document, {{ runOnly: {RULES} }})")
        self.assertGreater(len(found["passes"]), 15, what)
        wrong = [f"{v['id']}: {[n['html'][:120] for n in v['nodes'][:3]]}" for v in found["violations"]]
        self.assertEqual(wrong, [], what)

    def test_every_stage_dialog_and_theme(self) -> None:
        self.axe = (Path(settings.BASE_DIR) / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
        page = self.page
        page.set_viewport_size({"width": 1280, "height": 800})
        self.open()
        item = WorkObject.objects.get(name="Gate hoist")
        for theme in ("daylight", "dim"):
            page.evaluate(f"localStorage.setItem('limus.dim', '{str(theme == 'dim').lower()}')")
            for stage in ("object", "base", "weather", "export"):
                page.goto(f"{self.live_server_url}/object/{item.pk}/{stage}")
                page.get_by_role("link", name=stage.capitalize(), exact=True).wait_for()
                page.locator(".sheet, aside").first.wait_for()
                self.settle()
                self.check(f"{stage}, {theme}")
                if stage == "weather":
                    page.keyboard.press("a")
                    page.locator("[data-effect=rust]").wait_for()
                    self.check(f"what happened next, {theme}")
                    page.keyboard.press("Escape")
                    page.locator("[data-effect=rust]").wait_for(state="detached")
                    page.keyboard.press("?")
                    page.get_by_role("dialog").wait_for()
                    self.check(f"keyboard, {theme}")
                    page.keyboard.press("Escape")
                    page.get_by_role("dialog").wait_for(state="detached")
            page.goto(f"{self.live_server_url}/object/{item.pk}/weather")
            page.locator(".crumbs").click()
            page.get_by_text("Add an object…").first.wait_for()
            self.check(f"list of objects, {theme}")
            page.get_by_text("Add an object…").first.click()
            page.get_by_role("dialog").wait_for()
            self.check(f"adding an object, {theme}")
            page.keyboard.press("Escape")
            page.get_by_label("Limus, all projects").click()
            page.get_by_role("heading", name="Projects").wait_for()
            self.check(f"start, {theme}")
