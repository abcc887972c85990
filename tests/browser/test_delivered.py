"""What was delivered, opened in the view by the general loader, looks like the surface it was made of."""

from __future__ import annotations

import numpy as np

from tests.browser.base import BrowserTest


class FromTheFile(BrowserTest):
    def test_the_file_looks_like_the_surface(self) -> None:
        """Wanted: below 2 of 255 in the mean, and it is far below; the loader is that of three and knows nothing of how the view draws."""
        item = min(self._heads)
        self.open(f"/object/{item}/export")
        page = self.page
        surface = self.picture()
        page.get_by_role("combobox", name="Resolution", exact=True).click()
        page.get_by_role("option", name="256,").click()
        page.get_by_test_id("export").click()
        page.get_by_test_id("download").wait_for()
        toggle = page.get_by_role("button", name="See the file in the view")
        with page.expect_response("**/model.glb") as answered:
            toggle.click()
        self.assertEqual(answered.value.status, 200)
        self.settle()
        delivered = self.picture()
        off = np.abs(delivered - surface)
        self.assertLess(float(off.mean()), 0.5)
        # It is another picture: drawn of other data by other means.
        self.assertGreater(float(off.max()), 0.0)

        page.get_by_role("button", name="The view shows the file").click()
        self.settle()
        np.testing.assert_array_equal(self.picture(), surface)

        # What would be seen of a file that lacks its maps.
        page.route(
            "**/model.glb", lambda route: route.continue_(url=f"{self.live_server_url}/api/objects/{item}/mesh.glb")
        )
        toggle.click()
        self.settle()
        self.assertGreater(float(np.abs(self.picture() - surface).mean()), 8.0)

        # Another order is no longer what the view shows.
        page.get_by_role("combobox", name="Target").click()
        page.get_by_role("option", name="Maps", exact=True).click()
        self.settle()
        np.testing.assert_array_equal(self.picture(), surface)
