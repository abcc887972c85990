"""Words from outside, and what refusals make of them."""

from __future__ import annotations

from unittest import TestCase

from limus.common.errors import InputError
from limus.common.refusal import refuse_odd_text
from limus.common.wording import one_of, plain


class Words(TestCase):
    def test_only_text_is_left(self) -> None:
        self.assertEqual(plain("a\x00b\x1b[31m\n c\ud800\u202e"), "ab[31m c")
        self.assertEqual(plain("x" * 500, 20), "x" * 17 + "...")
        self.assertEqual(plain("\x07", otherwise="part"), "part")
        self.assertEqual(plain("水" * 10), "水" * 10)

    def test_what_there_is_to_choose_from(self) -> None:
        self.assertEqual(one_of(["rust", "dust"]), "Choose one of: rust, dust")
        self.assertEqual(one_of(["paint", "dust", "rust"], "Rusty"), "Choose one of: rust, dust, paint")
        self.assertEqual(one_of([]), "There is none to choose")
        self.assertEqual(one_of(["Gear case", "Hand wheel"], "hand weel"), "Choose one of: Hand wheel, Gear case")
        self.assertRegex(one_of(f"part {k}" for k in range(50_000)), r"^Choose one of: part 0, .* and \d{5} more$")
        many = one_of([f"base {k}" for k in range(99)], "base 77")
        self.assertRegex(many, r"^Choose one of: base 77, .*base \d+ and \d+ more$")
        self.assertLessEqual(len(many), 125)
        self.assertEqual(many.count(",") + 1 + int(many.split()[-2]), 99)

    def test_paths_stay_with_whoever_owns_them(self) -> None:
        error = InputError(
            "cannot identify image file '/srv/limus/pictures/ab/cd.part' at all", where="a.png", remedy="Save it again"
        )
        self.assertEqual(error.line, "a.png: cannot identify image file 'cd.part' at all. Save it again.")
        self.assertEqual(InputError("use meshes[0]/primitives or 3/4").problem, "use meshes[0]/primitives or 3/4")

    def test_odd_text_anywhere(self) -> None:
        refuse_odd_text({"a": ["b\n\t", {"c": "ü"}], "n": 1}, "scene")
        for document, path in (
            ({"a": ["x", "b\0"]}, "scene: a[1]"),
            ({"a": {"b\x07": 1}}, "scene: a.?"),
            ("\ud800", "scene"),
        ):
            with self.assertRaises(InputError) as caught:
                refuse_odd_text(document, "scene")
            self.assertEqual(caught.exception.where, path)
