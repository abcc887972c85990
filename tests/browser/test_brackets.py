"""A number tried on both sides of what it is: from any stage, by mouse and by keys, one number or two."""

from __future__ import annotations

from server.projects.models import WorkObject
from tests.browser.base import BrowserTest


class Brackets(BrowserTest):
    def setUp(self) -> None:
        super().setUp()
        self.item = WorkObject.objects.get(name="Gate hoist")

    def amount(self) -> float:
        """Coverage that the saved document asks of its chips."""
        self.item.refresh_from_db()
        layer = next(one for one in self.item.document["layers"] if one["id"] == "chipping")
        return float(layer["effect"]["size_mm"])

    def test_values_side_by_side_and_one_is_taken(self) -> None:
        page = self.page
        self.open(f"/object/{self.item.pk}/weather")
        window = self.picture()
        page.locator("[data-layer=chipping]").click()
        self.settle()
        before, edits = self.amount(), self.item.versions.count()
        page.locator("[data-field=size_mm]").get_by_role("button", name="try values").click()
        self.settle()
        cells = page.get_by_role("option")
        self.assertEqual(cells.count(), 5)
        pictures = page.locator(".bracket img").evaluate_all("images => images.map(i => i.src)")
        # Each value looks different, and the largest chips differ most from the smallest.
        self.assertEqual(len(set(pictures)), 5)
        self.assertIn("now", cells.nth(2).inner_text())
        # Nothing was saved, and the view shows what it showed.
        self.assertEqual((self.amount(), self.item.versions.count()), (before, edits))
        self.assertLess(float(abs(self.picture() - window)[:300].mean()), 1.0)
        page.keyboard.press("ArrowRight")
        page.keyboard.press("ArrowRight")
        wanted = cells.nth(4).inner_text().split("\n")[0]
        page.keyboard.press("Enter")
        self.until(lambda: self.amount() > before)
        self.assertEqual(page.get_by_label("Values side by side").count(), 0)
        self.settle()
        self.assertEqual(page.get_by_label("Chip size, value").input_value(), wanted)
        page.keyboard.press("Control+z")
        self.until(lambda: self.amount() == before)

    def test_narrower_two_numbers_and_leaving(self) -> None:
        page = self.page
        self.open(f"/object/{self.item.pk}/weather")
        page.locator("[data-layer=chipping]").click()
        self.settle()
        before = self.amount()
        # The view is drawn.
        self.assertGreater(float(self.picture().std()), 1.0)
        page.locator("[data-field=size_mm]").get_by_role("button", name="try values").click()
        self.settle()

        def numbers() -> list[float]:
            return [float(text.split()[0]) for text in page.get_by_role("option").all_inner_texts()]

        wide = numbers()
        page.keyboard.press("n")
        self.settle()
        narrow = numbers()
        self.assertGreater(narrow[0], wide[0])
        self.assertLess(narrow[-1], wide[-1])
        page.get_by_role("button", name="9 values").click()
        self.settle()
        self.assertEqual(len(numbers()), 9)
        page.get_by_role("button", name="With a second number…").click()
        page.locator("[data-field=strength]").get_by_role("button", name="try values").click()
        self.settle()
        self.assertEqual(page.get_by_role("option").count(), 9)
        self.assertEqual(len(set(page.locator(".bracket img").evaluate_all("all => all.map(i => i.src)"))), 9)
        page.keyboard.press("Escape")
        self.assertEqual(page.get_by_label("Values side by side").count(), 0)
        self.assertEqual(self.amount(), before)
        self.settle()

    def test_a_pattern_of_the_base(self) -> None:
        """In another stage, and for a seed: the numbers that follow."""
        page = self.page
        self.open(f"/object/{self.item.pk}/base")
        mark = page.get_by_role("button", name="try values").first
        mark.click()
        self.settle()
        self.assertGreater(float(self.picture().std()), 1.0)
        tried = page.get_by_role("option").count()
        self.assertGreaterEqual(tried, 3)
        self.assertEqual(page.locator(".bracket img").count(), tried)
        page.get_by_role("option").first.click()
        page.get_by_role("option").first.click()
        self.until(lambda: WorkObject.objects.get(pk=self.item.pk).head_id != self.item.head_id)
        self.settle()
