"""Part of the benchmark: what the effects of weather are made of, against general-purpose libraries on the same
input.
"""

from __future__ import annotations

import time

import numpy as np
from scipy import ndimage
from scipy.spatial import cKDTree
from skimage.morphology import reconstruction

from bench import QUICK
from bench.million import best as _best
from limus.bases.choice import from_stock
from limus.common.store import Store
from limus.document.scene import Layer, Scene
from limus.effects.cracks import CrackLayer
from limus.effects.snow import Snow
from limus.effects.water import Water
from limus.effects.wetness import Wetness
from limus.intake.object_file import ObjectFile
from limus.masks.recipe import Recipe
from limus.materials.encode import encode_surface
from limus.patterns.crack_network import crack_network
from limus.patterns.sites import scattered_on
from limus.playing.chronicle import Chronicle
from limus.readings.measured import Measured
from limus.readings.ray_pass import RayPlan, measure_rays
from limus.surface.filling import filled
from limus.surface.marching import distance_along
from limus.surface.mesh import Mesh, Part
from limus.surface.texels import Texels


def _square() -> Mesh:
    p = np.array([[0, 0, 0], [1, 0, 0], [1, 0, 1], [0, 0, 1]], np.float32)
    uv = np.array([[0, 0], [1, 0], [1, 1], [0, 1]], np.float32)
    up = np.tile(np.array([[0, 1, 0]], np.float32), (4, 1))
    return Mesh(
        p, up, np.array([[0, 2, 1], [0, 3, 2]], np.int32), uv, parts=(Part("square", 0, 2, 0),), source="square"
    )


def _reconstructed(image: np.ndarray) -> np.ndarray:
    marker = image.copy()
    marker[1:-1, 1:-1] = image.max()
    cross = np.array([[0, 1, 0], [1, 1, 1], [0, 1, 0]])
    return np.asarray(reconstruction(marker, image, method="erosion", footprint=cross))  # type: ignore[no-untyped-call]


def _readings(texels: Texels) -> Measured:
    coarse = Texels.of(texels.mesh, 128)
    plan = RayPlan.for_mesh(texels.mesh, 8)
    return Measured(coarse, plan, measure_rays(coarse, plan)).at(texels)


def main() -> None:
    """Run and print."""
    texels = {size: Texels.of(_square(), size // 8 if QUICK else size) for size in (512, 1024, 2048)}
    for t in texels.values():
        # Neighbours are found once, and are not what is measured.
        _ = t.links
    rough = np.random.default_rng(1).normal(size=(2048, 2048))
    spent: dict[int, float] = {}
    for size, t in texels.items():
        image = ndimage.gaussian_filter(rough[: t.size, : t.size], 4.0).astype(np.float32)
        height = image.ravel()[t.pixel]
        spent[size] = _best(lambda t=t, height=height: filled(t, height))  # type: ignore[misc]
        if size == 1024:
            other = _best(lambda image=image: _reconstructed(image))  # type: ignore[misc]
            print(
                f"filling of hollows at 1024: {spent[size] / other:.2f} times scikit-image's reconstruction (wanted "
                "at most 2)"
            )
    print(
        f"filling with texels: 512 -> 1024 {spent[1024] / spent[512]:.1f} times, 1024 -> 2048 "
        f"{spent[2048] / spent[1024]:.1f} times"
    )
    sites = scattered_on(texels[1024].mesh, 10.4, seed=3)
    group = np.zeros(len(sites), np.int64)
    for size, t in texels.items():
        spent[size] = _best(
            lambda t=t: crack_network(
                t.position, t.normal, np.zeros(len(t), np.int64), [(sites, group)], [10.4], [0.2], bend=0.2
            )  # type: ignore[misc]
        )
    tree = cKDTree(sites.position)
    query = _best(lambda: tree.query(texels[1024].position, k=2))
    print(
        f"cracks at 1024, {len(sites)} cells: {spent[1024] / query:.2f} times a cKDTree query of two neighbours "
        "(wanted at most 3)"
    )
    print(
        f"cracks with texels: 512 -> 1024 {spent[1024] / spent[512]:.1f} times, 1024 -> 2048 "
        f"{spent[2048] / spent[1024]:.1f} times"
    )
    for size, t in texels.items():
        far = np.hypot(t.position[:, 0] - 0.5, t.position[:, 2] - 0.5) < 0.02
        spent[size] = _best(lambda t=t, far=far: distance_along(t, far, 2000.0))  # type: ignore[misc]
    print(
        f"distance along the surface: 512 -> 1024 {spent[1024] / spent[512]:.1f} times, 1024 -> 2048 "
        f"{spent[2048] / spent[1024]:.1f} times"
    )
    _drag(texels[512])
    _layers(texels)


def _scene(*layers: Layer) -> Scene:
    return Scene(object=ObjectFile(file="square.glb"), bases=[from_stock("smooth concrete")], layers=list(layers))


def _drag(texels: Texels) -> None:
    """Moving the level of water at 512, maps encoded."""
    chronicle = Chronicle(texels, _readings(texels), Store(1 << 30))
    times = []
    for k in range(4 if QUICK else 12):
        scene = _scene(Layer(id="water", name="water", effect=Water(level_mm=2.0 + 0.1 * k)))
        start = time.perf_counter()
        surface = chronicle.finish(chronicle.play(scene)[-1].pile)
        encode_surface(texels, surface.sheet, surface.normal, surface.occlusion)
        times.append(time.perf_counter() - start)
    print(
        f"water level, one step at 512: {1000 * float(np.median(times[2:])):.0f} ms in the core, maps encoded "
        "(wanted under 120)"
    )


def _layers(texels: dict[int, Texels]) -> None:
    """Each effect alone, from cold."""
    for effect in (CrackLayer(size_mm=150.0), Wetness(), Water(), Snow()):
        spent = []
        for size in (512, 1024, 2048):
            chronicle = Chronicle(texels[size], _readings(texels[size]), Store(2 << 30))
            chronicle.as_made(_scene())
            start = time.perf_counter()
            chronicle.play(_scene(Layer(id="x", name="x", effect=effect, where=Recipe())))
            spent.append(time.perf_counter() - start)
        print(
            f"{effect.kind} from cold: {spent[1]:.2f} s at 1024; 512 -> 1024 {spent[1] / spent[0]:.1f} times, 1024 "
            f"-> 2048 {spent[2] / spent[1]:.1f} times"
        )
