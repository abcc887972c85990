"""``limus mask``: any source or recipe as .npy, .exr or .png."""

from __future__ import annotations

import argparse
import json
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

import numpy as np
from pydantic import BaseModel

from limus.cli.bringing import bringing, brought, page_named
from limus.cli.numbers import resolution
from limus.cli.saying import say_notes
from limus.common.errors import InputError
from limus.common.refusal import refuse_odd_text
from limus.document.scene import Scene, load_scene, scene_from
from limus.formats.field import write_field
from limus.formats.json_read import read_json
from limus.intake.preparation import beside_scene
from limus.masks.recipe import SOURCES, Term
from limus.playing.chronicle import LayerMasks
from limus.playing.session import Session, layer_of


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    bringing(parser)
    parser.add_argument("--source", choices=list(SOURCES), help="a recipe of one line")
    parser.add_argument(
        "--set", action="append", default=[], metavar="NAME=VALUE", help="a field of the source, e.g. size_mm=20"
    )
    parser.add_argument(
        "--shape", action="append", default=[], metavar="NAME=VALUE", help="a field of the line, e.g. invert=true"
    )
    parser.add_argument("--recipe", metavar="FILE", help="a recipe as JSON, as it stands under 'where' in a scene")
    parser.add_argument(
        "--layer", metavar="LAYER", help="at the moment before this layer of the scene (id or name); else at the end"
    )
    parser.add_argument("--map-set", metavar="NAME")
    parser.add_argument("--resolution", type=resolution, default=1024, metavar="N")
    parser.add_argument("--out", required=True, metavar="FILE")
    parser.add_argument("--strict", action="store_true", help="exit with 3 when a layer or line has something to say")


def fields_given(pairs: list[str], option: str, model: type[BaseModel]) -> dict[str, Any]:
    """Fields of ``model``, as NAME=VALUE."""
    out: dict[str, Any] = {}
    for pair in pairs:
        name, equals, value = pair.partition("=")
        if not equals:
            raise InputError(f"'{pair}' is not NAME=VALUE", where=option, remedy=f"For example: {option} size_mm=20")
        field = model.model_fields.get(name)
        # A choice between words stays a word, even where the words are numbers.
        word = field is not None and get_origin(field.annotation) is Literal and value in get_args(field.annotation)
        try:
            out[name] = value if word else json.loads(value)
        except ValueError:
            out[name] = value
    return out


def _recipe(args: argparse.Namespace) -> dict[str, Any]:
    """The recipe of ``--recipe``, or of one line with ``--source``."""
    if (args.recipe is None) == (args.source is None):
        raise InputError(
            "say either --source or --recipe", where="mask", remedy="For example: --source cells --set size_mm=20"
        )
    if args.recipe is None:
        source = {"kind": args.source, **fields_given(args.set, "--set", SOURCES[args.source])}
        return {"terms": [{"source": source, **fields_given(args.shape, "--shape", Term)}]}
    given = read_json(Path(args.recipe))
    refuse_odd_text(given, Path(args.recipe).name)
    return {"terms": given} if isinstance(given, list) else given


def run(args: argparse.Namespace) -> None:
    """Do it."""
    path = Path(args.object)
    document, setting, folder = brought(args)
    scene = load_scene(path) if path.suffix.lower() == ".json" else Scene(object=document, setting=setting)
    scene = scene.model_copy(update={"object": document, "setting": setting})
    at = layer_of(scene, args.layer, "--layer") if args.layer else None
    layers = [layer.model_dump(mode="json") for layer in scene.layers]
    # Tried on a layer that does nothing: at the moment asked for, else at the end.
    k = next((k for k, layer in enumerate(scene.layers) if layer.id == at), len(layers))
    probe = {
        "id": "this-recipe",
        "name": "this recipe",
        "on": False,
        "effect": {"kind": "dust"},
        "where": _recipe(args),
    }
    whole = scene_from({**scene.model_dump(mode="json"), "layers": [*layers[:k], probe, *layers[k:]]}, path.name)
    session = Session(whole, beside_scene(folder))
    page = page_named(session.mesh, args.map_set)
    tried = whole.layers[k]
    weather = tried.where.weather or any(o.where.weather for o in whole.layers if o.on or o.id in tried.where.masks)
    chronicle = session.exact(args.resolution, weather=weather)
    texels = chronicle.texels
    scope = LayerMasks(chronicle, whole).scope(tried)
    notes = [f"line {j + 1}: {found}" for j, line in enumerate(tried.where.terms) if (found := line.finding(scope))]
    values = tried.where.value(scope)
    write_field(Path(args.out), texels.image(values, empty=np.nan)[page], low=0.0, high=1.0)
    print(f"covers {texels.share(values):.2%} of the surface")
    say_notes(notes, args.strict)
