"""No stage, dialog or theme breaks a rule that a machine can see: WCAG 2.2 AA and best practice, by axe-core (Deque,
MPL 2.0).
"""

from __future__ import annotations

from pathlib import Path

from django.conf import settings

from server.projects.models import WorkObject
from tests.browser.base import BrowserTest

RULES = "['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa', 'best-practice']"

#: Each stage and the tabs of its sheet.
STAGES = {
    "object": ("Setting", "Around it"),
    "base": ("Material", "Placing", "Channels", "Flags"),
    "weather": (),
    "review": ("Photograph", "Condition"),
    "export": (),
}


class Rules(BrowserTest):
    def check(self, what: str) -> None:
        if not self.page.evaluate("'axe' in window"):
            self.page.evaluate(self.axe)
        # Only what is looked at comes over, and only what breaks a rule is described: the whole report is a megabyte.
        passes, violations = self.page.evaluate(
            f"""axe.run(document, {{ runOnly: {RULES}, resultTypes: ['violations'], preload: false }}).then(found => [
                found.passes.length,
                found.violations.map(v => [v.id, v.nodes.slice(0, 3).map(n => n.html.slice(0, 120))]),
            ])"""
        )
        self.assertGreater(passes, 15, what)
        self.assertEqual(violations, [], what)

    def fits(self, what: str, width: int) -> None:
        self.assertLessEqual(self.page.evaluate("document.documentElement.scrollWidth"), width, f"{what} scrolls")

    def dialog(self, what: str, opener: str) -> None:
        """A key or a button opens it, Escape closes it."""
        if len(opener) == 1:
            self.page.keyboard.press(opener)
        else:
            self.page.get_by_role("button", name=opener).click()
        self.page.get_by_role("dialog").wait_for()
        # Pictures may still be on their way: what frames them is there.
        self.check(what)
        self.page.keyboard.press("Escape")
        self.page.get_by_role("dialog").wait_for(state="detached")

    def test_every_stage_dialog_and_theme(self) -> None:
        self.axe = (Path(settings.BASE_DIR) / "web" / "node_modules" / "axe-core" / "axe.min.js").read_text()
        page = self.page
        self.open()
        item = WorkObject.objects.get(name="Gate hoist")
        for theme, width, height in (("daylight", 1100, 720), ("dim", 1280, 800)):
            page.set_viewport_size({"width": width, "height": height})
            page.evaluate(f"localStorage.setItem('limus.dim', '{str(theme == 'dim').lower()}')")
            page.goto(f"{self.live_server_url}/object/{item.pk}/weather")
            for stage in STAGES:
                page.get_by_role("link", name=stage.capitalize(), exact=True).click()
                page.locator(".sheet, aside").first.wait_for()
                self.settle()
                if stage == "weather":
                    page.locator("[data-layer=chipping]").click()
                    self.settle()
                self.check(f"{stage}, {theme}")
                self.fits(f"{stage}, {theme}", width)
                # What stands behind the other tabs is made of the same controls in both themes.
                for tab in STAGES[stage] if theme == "daylight" else ():
                    page.get_by_role("tab", name=tab).click()
                    self.settle()
                    self.check(f"{stage}, {tab}")
                    self.fits(f"{stage}, {tab}", width)
                if stage == "object" and theme == "daylight":
                    self.dialog("replacing", "Replace…")
                if stage == "weather":
                    self.dialog(f"what happened next, {theme}", "a")
                    self.dialog(f"keyboard, {theme}", "?")
            page.goto(f"{self.live_server_url}/object/{item.pk}/weather")
            self.settle()
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
            if theme == "daylight":
                self.dialog("access for programs", "Access for programs…")
            page.get_by_role("link", name="Batch of").first.click()
            page.locator("[data-row]").first.wait_for()
            self.settle()
            self.check(f"batch, {theme}")
