"""The view shows every channel: pictures that the server may send are put in its way, one by one and all together."""

from __future__ import annotations

import json
from contextlib import suppress

import numpy as np
from playwright.sync_api import Error, Route

from limus.materials.channels import CHANNELS
from limus.materials.encode import ALWAYS
from tests.browser.base import BrowserTest

#: One pixel of each picture, strong enough to be seen (what stands where is declared with the channels).
PIXELS = {
    "clear_coat": (255, 10, 0, 255),
    "tint": (255, 40, 40, 255),
    "fuzz": (255, 255, 255, 90),
    "specular": (255, 30, 30, 255),
    "indices": (230, 200, 120, 255),
    "film": (255, 50, 0, 255),
    "transmission": (255, 0, 0, 255),
    "through": (60, 255, 60, 10),
    "subsurface": (255, 60, 60, 255),
    "scatter": (255, 120, 60, 64),
    "emission": (0, 90, 160, 255),
    "sparkle": (255, 0, 0, 255),
}
#: Other pixels: nothing that comes back from the body itself, and normals (green up) straight and turned aside.
OTHERS = {
    "black": (0, 0, 0, 255),
    "no_shine": (0, 0, 0, 0),
    "straight": (128, 128, 255, 255),
    "aside": (210, 150, 216, 255),
}
#: Pictures that say something only beside another one.
BESIDE = {"tint": "clear_coat", "through": "transmission", "scatter": "subsurface"}


class Channels(BrowserTest):
    def show(self, *names: str, **instead: str) -> np.ndarray:
        """The view with these pictures on, as if the server had sent them; ``instead`` says which pixel a picture
        is.
        """

        def answered(route: Route) -> None:
            try:
                # As words, so that they can be changed on the way.
                found = route.fetch(headers={**route.request.headers, "accept": "application/json"})
            except Error:
                return
            if found.status != 200:
                # Overtaken by a newer question: there is nothing in it.
                with suppress(Error):
                    route.fulfill(response=found)
                return
            body = json.loads(found.text())
            if body.get("maps"):
                body["maps"]["more"] = {name: [f"pixel-{name}"] for name in names}
                for name, pixel in instead.items():
                    (body["maps"] if name in ALWAYS else body["maps"]["more"])[name] = [f"pixel-{pixel}"]
                body["maps"]["numbers"] = {"subsurface_radius": 40.0} if "subsurface" in names else {}
            # A page that asks anew takes its question back: then there is nobody to answer.
            with suppress(Error):
                route.fulfill(response=found, body=json.dumps(body))

        def pixel(route: Route) -> None:
            name = route.request.url.rsplit("pixel-", 1)[1]
            route.fulfill(status=200, content_type="application/octet-stream", body=bytes((PIXELS | OTHERS)[name]))

        self.page.route("**/evaluate", answered)
        self.page.route("**/api/maps/pixel-*", pixel)
        if "/object/" not in self.page.url:
            self.open()
        else:
            # Asked anew on the page as it stands: what was shown before goes.
            for key in ("m", "l"):
                self.page.keyboard.press(key)
                self.settle()
        out = self.picture()
        self.page.unroute("**/evaluate")
        self.page.unroute("**/api/maps/pixel-*")
        return out

    def test_every_picture_is_seen(self) -> None:
        self.assertEqual(set(PIXELS), {c.packed[0] for c in CHANNELS.values()} - {"", *ALWAYS})
        plain = self.show()
        shown = {}
        for name in PIXELS:
            names = [BESIDE[name], name] if name in BESIDE else [name]
            shown[name] = self.show(*names)
            before = shown[BESIDE[name]] if name in BESIDE else plain
            difference = np.abs(shown[name] - before).max(axis=2)
            # A shader that does not compile is an error on the console, and fails the test as well.
            self.assertGreater(float((difference > 3).mean()), 0.002, name)
        # Emission is blue and lights every place; tint takes blue and green away.
        self.assertGreater(float((shown["emission"] - plain)[..., 2].max()), 60)
        self.assertLess(float((shown["tint"] - shown["clear_coat"])[..., 1:].min()), -15)

    def test_a_coat_follows_the_relief(self) -> None:
        dark = {"base_color": "black", "specular": "no_shine"}
        without = [self.show(**dark, normal=way) for way in ("straight", "aside")]
        coated = [self.show("clear_coat", **dark, normal=way) for way in ("straight", "aside")]
        # Of a body that sends nothing back no relief is seen; of the coat over it, it is.
        self.assertLess(float(np.abs(without[1] - without[0]).mean()), 0.3)
        self.assertGreater(float(np.abs(coated[1] - coated[0]).mean()), 2.0)

    def test_all_of_them_together(self) -> None:
        everything = self.picture_of_all()
        self.assertGreater(float(everything.std()), 5)

    def picture_of_all(self) -> np.ndarray:
        """However many textures the graphics card takes: what has no room is said, not broken."""
        out = self.show(*PIXELS)
        self.assertEqual(self.faults, [])
        return out
