"""Maps that came with an object, and bases that are chosen instead of them."""

from __future__ import annotations

from dataclasses import replace
from unittest import TestCase

import numpy as np

from limus.bases.choice import BaseChoice, from_stock
from limus.common.object_size import ONE_METRE
from limus.common.store import Store
from limus.document.scene import ObjectFile, Scene
from limus.document.start import started
from limus.playing.as_made import as_made
from limus.readings.measured import Measured
from limus.readings.reading import Place
from limus.readings.setting import Setting
from limus.surface.base_maps import BaseMaps
from limus.surface.picture import Texture
from limus.surface.texels import Texels
from tests.core import shapes

PINK = (1.0, 0.0, 1.0)


class FileMaps(TestCase):
    def setUp(self) -> None:
        mesh = shapes.joined(shapes.box(0.1), shapes.box(0.1, (0.3, 0.0, 0.0)))
        picture = np.zeros((4, 4, 4), np.uint8)
        picture[:, :, [0, 2, 3]] = 255
        maps = BaseMaps(color=Texture.of(picture))
        self.texels = Texels.of(replace(mesh, base_maps=tuple(maps for _ in mesh.uv_domains)), 64)
        self.names = [part.name for part in mesh.parts]

    def color(self, *bases: BaseChoice, own: bool = True) -> np.ndarray:
        scene = Scene(object=ObjectFile(file="a.glb", own_maps=own), bases=list(bases))
        measured = Measured.blank(self.texels)
        pile = as_made(Place(self.texels, measured, Setting()), Store(1 << 28), scene)
        return np.broadcast_to(pile.base["base_color"], (len(self.texels), 3))

    def pink(self, *bases: BaseChoice, own: bool = True) -> np.ndarray:
        """Per part: whether it shows the maps of the file."""
        color = self.color(*bases, own=own)
        return np.array([np.allclose(color[self.texels.part == k], PINK, atol=1e-3) for k in range(2)])

    def test_a_chosen_base_is_seen_and_the_file_can_be_had_again(self) -> None:
        concrete = from_stock("smooth concrete")
        self.assertEqual(self.pink(concrete).tolist(), [True, True])
        chosen = concrete.model_copy(update={"file_maps": False})
        self.assertEqual(self.pink(chosen).tolist(), [False, False])
        self.assertEqual(self.pink(concrete, own=False).tolist(), [False, False])

    def test_for_a_part_of_its_own(self) -> None:
        rest = from_stock("cast iron")
        chosen = from_stock("smooth concrete").model_copy(update={"file_maps": False, "parts": [self.names[1]]})
        self.assertEqual(self.pink(rest, chosen).tolist(), [True, False])

    def test_a_base_over_a_mask_hides_them_where_it_lies(self) -> None:
        line = {"terms": [{"source": {"kind": "parts", "names": [self.names[0]]}}]}
        over = BaseChoice.model_validate({"material": "smooth concrete", "where": line, "file_maps": False})
        self.assertEqual(self.pink(from_stock("cast iron"), over).tolist(), [False, True])
        asked = over.model_copy(update={"file_maps": True})
        self.assertEqual(
            self.pink(from_stock("cast iron").model_copy(update={"file_maps": False}), asked).tolist(), [True, False]
        )

    def test_who_names_a_base_at_the_start_gets_it(self) -> None:
        for base, kept in ((None, True), ("smooth concrete", False)):
            scene = started(ObjectFile(file="a.glb"), Setting(), ONE_METRE, base=base, layers=[])
            self.assertEqual(scene.bases[0].file_maps, kept)
