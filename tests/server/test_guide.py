"""The guide over the API."""

from __future__ import annotations

import io
import shutil
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.contrib.auth import get_user_model
from django.test import TestCase
from PIL import Image


class Guide(TestCase):
    def setUp(self) -> None:
        self.client.force_login(get_user_model().objects.create(username="reader"))

    def test_pages_fit_the_object_and_are_sent_once(self) -> None:
        answer = self.client.get("/api/guide?size_m=0.05")
        self.assertEqual(answer.status_code, 200)
        chips = next(e for e in answer.json() if e["kind"] == "chipping")
        large = next(e for e in self.client.get("/api/guide?size_m=20").json() if e["kind"] == "chipping")
        self.assertNotEqual(chips["fields"], large["fields"])
        again = self.client.get("/api/guide?size_m=0.05", headers={"If-None-Match": answer["ETag"]})
        self.assertEqual((again.status_code, again.content), (304, b""))

    def test_a_picture_is_made_once_and_kept(self) -> None:
        url = "/api/guide/picture?what=base&kind=gold&on=box"
        folder = Path(settings.DATA_DIR) / "guide"
        # Other tests of this process may have made some.
        shutil.rmtree(folder, ignore_errors=True)
        answer = self.client.get(url)
        self.assertEqual((answer.status_code, answer["Content-Type"]), (200, "image/png"))
        with Image.open(io.BytesIO(answer.content)) as picture:
            self.assertEqual(picture.size, (264, 208))
        self.assertEqual(len(list(folder.glob("*.png"))), 1)
        with patch("server.projects.guide_pictures.guide_picture", side_effect=AssertionError("made again")):
            self.assertEqual(self.client.get(url).content, answer.content)

    def test_what_is_odd_is_refused(self) -> None:
        for query, wanted in (
            ("what=effect&kind=glitter", "no effect 'glitter'"),
            ("what=effect&kind=../../etc/passwd", "no effect"),
            ("what=secret&kind=rust", "what"),
            ("what=effect&kind=rust&level=huge", "level"),
            ("what=effect&kind=rust&on=teapot", "on"),
            ("what=effect", "kind"),
        ):
            answer = self.client.get(f"/api/guide/picture?{query}")
            with self.subTest(query=query):
                self.assertEqual(answer.status_code, 422)
                self.assertIn(wanted, str(answer.json()))
        self.client.logout()
        self.assertIn(self.client.get("/api/guide").status_code, (401, 403))
