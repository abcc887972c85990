"""``limus base``: texture files recognised as a base, or the bases of the store room."""

from __future__ import annotations

import argparse
import json
import os
import tempfile
from collections.abc import Sequence
from pathlib import Path

from limus.bases.as_materialx import base_materialx
from limus.bases.choice import BaseChoice
from limus.bases.from_maps import base_from_maps
from limus.bases.store_room import searched, stock
from limus.cli.numbers import tile
from limus.common.errors import InputError
from limus.document.base_file import with_files, write_base
from limus.formats.bundle import unpack_pictures
from limus.formats.files import write_whole
from limus.formats.picture_read import PICTURES
from limus.map_sets.recognise import recognise
from limus.map_sets.roles import ROLES


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument(
        "files", nargs="*", metavar="FILES", help="texture files or zips of one material; or one name of the store room"
    )
    parser.add_argument(
        "--out", metavar="FILE", help="write the base: .json for 'limus start --base', .mtlx for other programs"
    )
    parser.add_argument("--name", help="name of the base (default: what the files have in common)")
    parser.add_argument("--size", type=tile, default=100.0, metavar="CM", help="real width of one tile (default: 100)")
    parser.add_argument("--list", action="store_true", help="the bases of the store room")
    parser.add_argument("--search", default="", metavar="WORDS", help="with --list: only those that these words fit")
    parser.add_argument("--json", action="store_true")


def _pictures_in(names: Sequence[str], unpacked: Path) -> list[tuple[str, str]]:
    """(path, name) of the texture files named, those in zips among them."""
    out: list[tuple[str, str]] = []
    for k, name in enumerate(names):
        path = Path(name)
        if path.is_dir():
            inside = sorted(p for p in path.iterdir() if p.suffix.lower() in PICTURES and p.is_file())
            if not inside:
                raise InputError(
                    f"there is no picture in this folder ({', '.join(PICTURES)})",
                    where=path.name,
                    remedy="Name the texture files",
                )
            out += [(str(p), p.name) for p in inside]
        elif path.suffix.lower() == ".zip":
            folder = unpacked / str(k)
            folder.mkdir(parents=True)
            out += [(str(p), p.name) for p in unpack_pictures(path, folder, path.name)]
        else:
            out.append((str(path), path.name))
    return out


def _write_base(path: Path, base: BaseChoice) -> None:
    """As a file for ``limus start``, or as a MaterialX document."""
    if path.suffix.lower() == ".mtlx":
        there = path.resolve().parent
        write_whole(
            path,
            base_materialx(
                with_files(base, lambda name: Path(os.path.relpath(Path(name).resolve(), there)).as_posix())
            ),
        )
    elif path.suffix.lower() == ".json":
        write_base(path, base)
    else:
        raise InputError(
            f"cannot write '{path.suffix or path.name}' files",
            where="--out",
            remedy="End the file name with .json or .mtlx",
        )


def run(args: argparse.Namespace) -> None:
    """Do it."""
    if args.list:
        if args.json:
            rows = [
                {"name": s.name, "about": s.about, "kind": s.kind, "family": s.family, "words": list(s.words)}
                for s in searched(args.search)
            ]
            print(json.dumps(rows, indent=2, allow_nan=False))
            return
        for s in searched(args.search):
            print(f"{s.name:20} {s.family:14} {s.about}")
        return
    if len(args.files) == 1 and stock(args.files[0]) is not None:
        chosen = BaseChoice.model_validate({"material": args.files[0]})
        if not args.out:
            print(chosen.model_dump_json(indent=2))
            return
        _write_base(Path(args.out), chosen)
        print(f"{args.out}: {chosen.title}")
        return
    if not args.files:
        raise InputError(
            "no texture files are named", where="limus base", remedy="Name the files of one material, or use --list"
        )
    if args.out and any(name.lower().endswith(".zip") for name in args.files):
        raise InputError(
            "a base cannot point into a zip", where="--out", remedy="Unpack the zip first, and name its files"
        )
    with tempfile.TemporaryDirectory() as folder:
        files = _pictures_in(args.files, Path(folder))
        found = recognise(files, Path)
        base = base_from_maps(found, args.name or "", size_cm=args.size)
        if args.out:
            _write_base(Path(args.out), base)
    names = dict(files)
    if args.json:
        rows = [
            {
                "file": names[u.file],
                "role": u.role,
                "component": u.component,
                "kind": u.colour,
                "channel": ROLES[u.role].channel if u.role in ROLES else "",
                "why": why,
            }
            for u, why in zip(found.uses, found.why, strict=True)
        ]
        print(
            json.dumps(
                {
                    "name": base.name,
                    "maps": rows,
                    "green": found.green,
                    "range_share": found.range_share,
                    "findings": found.findings,
                },
                indent=2,
            )
        )
        return
    print(f"{base.name}: {len(found.files)} files, tile {args.size:g} cm")
    wide = max(len(names[u.file]) for u in found.uses)
    for use, why in zip(found.uses, found.why, strict=True):
        role = ROLES[use.role].title if use.role in ROLES else use.role
        what = (
            ""
            if use.role not in ROLES
            else (
                "colour, sRGB"
                if use.colour == "srgb"
                else ("colour, linear" if ROLES[use.role].kind == "colour" else ROLES[use.role].kind)
            )
        )
        print(
            f"  {names[use.file]:{wide}}  {'' if use.component == 'all' else use.component:1}  {role:18} {what:15} "
            f"{why}"
        )
    for text in found.findings:
        print(f"  Note: {text}.")
