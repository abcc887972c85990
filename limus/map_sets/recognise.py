"""A set of texture files, recognised by name and content."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal

import numpy as np

from limus.common.errors import InputError
from limus.common.fields import Document, FileName
from limus.formats.picture_read import read_picture
from limus.map_sets.content import Content, content_of
from limus.map_sets.normal_map import green_of, range_from
from limus.map_sets.roles import ROLES, by_name, green_by_name

#: Most files of one set.
MOST_FILES = 64
Component = Literal["all", "R", "G", "B", "A"]
COMPONENTS: tuple[Component, ...] = ("R", "G", "B", "A")


class MapUse(Document):
    """One file, or one component of it, in a role; what is "left out" stays in the list and does nothing."""

    file: FileName
    role: str = "left out"
    component: Component = "all"
    colour: Literal["srgb", "linear"] = "linear"


@dataclass(frozen=True)
class FileFacts:
    """A file of a set: its size, what it is, and a small picture of it (h, w, 3) uint8, encoded for the screen."""

    file: str
    name: str
    width: int
    height: int
    bits: int
    kind: str
    picture: np.ndarray
    notes: tuple[str, ...] = ()


@dataclass
class Recognised:
    """``uses``: the table, file -> role; ``why`` one sentence for each use; ``findings``: what was odd, and what was
    done.
    """

    files: list[FileFacts]
    uses: list[MapUse]
    why: list[str]
    green: str = "up"
    green_why: str = ""
    range_share: float = 0.0
    findings: list[str] = field(default_factory=list)
    refused: list[str] = field(default_factory=list)


def recognise(
    files: Sequence[tuple[str, str]], find: Callable[[str], Path], check: Callable[[float], None] | None = None
) -> Recognised:
    """Look at files and tell what each is.

    Parameters
    ----------
    files : (file as the scene will name it, name as people know it). check : called with a share 0..1 after each; may
        raise.

    Raises
    ------
    InputError : too many files, or none of them can be read.
    """
    if len(files) > MOST_FILES:
        raise InputError(
            f"{len(files)} files are more than a set of {MOST_FILES}",
            where="maps",
            remedy="Bring in the files of one material at a time",
        )
    facts: list[FileFacts] = []
    seen: dict[str, Content] = {}
    gammas: dict[str, float | None] = {}
    below: dict[str, int] = {}
    refused: list[str] = []
    for k, (file, name) in enumerate(files):
        try:
            picture = read_picture(find(file), name)
        except InputError as error:
            refused.append(str(error))
        else:
            content = seen[file] = content_of(picture)
            gammas[file] = picture.gamma
            if picture.pixels.dtype.kind == "f" and picture.pixels.shape[2] >= 3:
                below[file] = int((picture.pixels[:, :, :3] < 0).any(axis=2).sum())
            facts.append(
                FileFacts(
                    file,
                    name,
                    content.width,
                    content.height,
                    content.bits,
                    picture.kind,
                    _small_picture(content, picture.gamma),
                    picture.notes,
                )
            )
        if check is not None:
            check((k + 1) / len(files))
    if not facts:
        raise InputError(
            refused[0].rstrip(".") if refused else "there is no picture among them",
            where="maps",
            remedy="Bring texture files",
        )
    out = Recognised(facts, [], [], refused=refused)
    claims = [_claims(f, seen[f.file], out.findings) for f in facts]
    for f, claim in zip(facts, claims, strict=True):
        for role, component, why in claim:
            colour = ROLES[role].kind == "colour" if role in ROLES else False
            gamma = gammas[f.file]
            linear = not colour or gamma == 1.0 or (f.kind == "EXR")
            if colour and below.get(f.file):
                out.findings.append(
                    f"{below[f.file]} colours of {f.name} are negative, which no surface is: they are taken as 0"
                )
            if colour and f.kind == "EXR":
                out.findings.append(f"{f.name} is an EXR: its colours are read as linear light")
            if colour and gamma == 1.0 and f.kind != "EXR":
                out.findings.append(f"{f.name} says that its colours are plain numbers: they are read so")
            if not colour and role in ROLES and gamma is not None and gamma != 1.0 and component == "all":
                out.findings.append(
                    f"{f.name} is marked as encoded colour although it holds {ROLES[role].title.lower()}: its "
                    "numbers are read as they stand"
                )
            out.uses.append(
                MapUse(file=f.file, role=role or "left out", component=component, colour="linear" if linear else "srgb")
            )
            out.why.append(why)
    _guess_rest(out, seen)
    _settle_doubles(out)
    _direction(out, seen)
    _complete(out)
    return out


def _small_picture(content: Content, gamma: float | None) -> np.ndarray:
    rgb = content.small[:, :, :3] if content.components >= 3 else np.repeat(content.small[:, :, :1], 3, axis=2)
    shown = rgb ** np.float32(1 / 2.2) if gamma == 1.0 and content.bits == 32 else rgb
    step = max(1, min(rgb.shape[:2]) // 96)
    return (np.clip(shown[::step, ::step], 0, 1) * 255 + 0.5).astype(np.uint8)


def _claims(f: FileFacts, c: Content, findings: list[str]) -> list[tuple[str, Component, str]]:
    """(role, component, why) for a file, by its name where that can be, else by its pixels."""
    role, packed = by_name(f.name)
    if role == "packed" and c.components >= 3:
        return [(r, COMPONENTS[k], "its name says what it packs") for k, r in enumerate(packed) if r]
    if role == "packed":
        findings.append(
            f"{f.name} is named as a packed map but holds one component: it is read as {packed[0] or packed[1]}"
        )
        return [(packed[0] or packed[1], "all", "named as packed, but it is grey")]
    if role == "normal" and c.directions < 0.5:
        findings.append(
            f"{f.name} is named as a normal map, but its pixels are no directions: "
            + ("it is read as bump" if c.grey else "it is read as base color")
        )
        role = "bump" if c.grey else "base_color"
        return [(role, "all", "its pixels are no directions")]
    if role and role != "normal" and c.directions > 0.9 and not c.grey and c.spread < 0.2:
        findings.append(
            f"{f.name} is named as {ROLES[role].title.lower()}, but its pixels are directions: it is read as a "
            "normal map"
        )
        return [("normal", "all", "its pixels are unit vectors")]
    if role:
        claims: list[tuple[str, Component, str]] = [(role, "all", "by its name")]
        if role == "base_color" and c.alpha:
            claims.append(("opacity", "A", "its alpha is not white"))
        kind = ROLES[role].kind
        if kind == "data" and not c.grey:
            findings.append(
                f"{f.name} is named as {ROLES[role].title.lower()} but has colour in it: its brightness is used"
            )
        if role == "base_color" and c.grey and c.spread > 0:
            findings.append(f"{f.name} has no colour in it, though it is named as base color")
        return claims
    if c.directions > 0.8:
        return [("normal", "all", "its pixels are unit vectors")]
    if c.components >= 3 and not c.grey:
        if c.apart:
            return [
                ("", "R", "components without a name"),
                ("", "G", "components without a name"),
                ("", "B", "components without a name"),
            ]
        claims = [("base_color", "all", "it is in colour")]
        return claims + ([("opacity", "A", "its alpha is not white")] if c.alpha else [])
    return [("", "all", "")]


def _plane(c: Content, component: Component) -> np.ndarray:
    if component == "all":
        return np.asarray(c.small[:, :, :3].mean(axis=2) if c.components >= 3 else c.small[:, :, 0])
    return np.asarray(c.small[:, :, min(COMPONENTS.index(component), c.components - 1)])


def _guess_rest(out: Recognised, seen: dict[str, Content]) -> None:
    """What neither name nor colour tells is taken for what is still missing, by how its numbers are spread."""
    taken = {u.role for u in out.uses}
    for k, use in enumerate(out.uses):
        if use.role != "left out":
            continue
        plane = _plane(seen[use.file], use.component)
        extreme = float(((plane < 0.06) | (plane > 0.94)).mean())
        fine = float(np.abs(np.diff(plane, axis=1)).mean()) / max(float(plane.std()), 1e-6)
        if extreme > 0.9 and float(plane.mean()) < 0.94:
            order = ["metalness", "opacity", "occlusion"]
        elif float(plane.mean()) > 0.8:
            order = ["occlusion", "roughness", "height"]
        elif fine < 0.35:
            order = ["height", "roughness", "occlusion"]
        else:
            order = ["roughness", "height", "occlusion"]
        role = next((r for r in order if r not in taken), "left out")
        taken.add(role)
        out.uses[k] = use.model_copy(update={"role": role, "colour": "linear"})
        out.why[k] = "guessed from its numbers: look at it" if role != "left out" else "nothing tells what it is"


def _settle_doubles(out: Recognised) -> None:
    facts = {f.file: f for f in out.files}
    best: dict[str, int] = {}
    for k, use in enumerate(out.uses):
        if use.role == "left out":
            continue
        other = best.get(use.role)
        if (use.role == "gloss" and "roughness" in best) or (use.role == "roughness" and "gloss" in best):
            other = best.get("roughness", best.get("gloss"))
        if other is None:
            best[use.role] = k
            continue

        def worth(j: int) -> tuple[bool, int, int]:
            f = facts[out.uses[j].file]
            return (out.uses[j].component == "all", f.bits, f.width * f.height)

        loser = k if worth(k) <= worth(other) else other
        winner = other if loser == k else k
        best[out.uses[winner].role] = winner
        a, b = facts[out.uses[loser].file], facts[out.uses[winner].file]
        out.findings.append(f"two files are {ROLES[use.role].title.lower()}: {b.name} is used, {a.name} is left out")
        out.uses[loser] = out.uses[loser].model_copy(update={"role": "left out"})
        out.why[loser] = f"{b.name} has this role already"


def _direction(out: Recognised, seen: dict[str, Content]) -> None:
    at = next((u for u in out.uses if u.role == "normal"), None)
    if at is None:
        return
    facts = next(f for f in out.files if f.file == at.file)
    if facts.kind in ("JPEG", "WEBP"):
        out.findings.append(
            f"{facts.name} is a normal map packed with losses: its blocks may show in reflections; it is used as it is"
        )
    normals = seen[at.file].small[:, :, :3]
    tall = next((u for u in out.uses if u.role == "height"), next((u for u in out.uses if u.role == "bump"), None))
    height = None
    if tall is not None:
        plane = _plane(seen[tall.file], tall.component)
        height = plane if plane.shape == normals.shape[:2] else None
    found = green_of(normals, height)
    named = green_by_name(facts.name)
    out.green, out.green_why = found.green, found.why
    if named and found.sure < 0.05:
        out.green, out.green_why = named, "its name says so"
    elif named and named != found.green:
        out.findings.append(
            f"{facts.name} is named as if green pointed {named}, but {found.why}: green is read as pointing "
            f"{found.green}"
        )
    out.findings.append(f"green of {facts.name} points {out.green}: {out.green_why}")
    if height is not None:
        out.range_share = range_from(height, normals, out.green)
        if out.range_share < 0:
            out.findings.append("the height map is the wrong way round for the normal map: black is read as high")


def _complete(out: Recognised) -> None:
    facts = {f.file: f for f in out.files}
    used = [facts[u.file] for u in out.uses if u.role != "left out"]
    sizes = {(f.width, f.height) for f in used}
    if len(sizes) > 1:
        largest = max(sizes)
        small = sorted({f.name for f in used if (f.width, f.height) != largest})
        out.findings.append(
            f"sizes differ: {', '.join(small)} {'is' if len(small) == 1 else 'are'} not {largest[0]} × {largest[1]} "
            "as the largest, and will be stretched"
        )
    shapes = {round(f.width / f.height, 2) for f in used}
    if len(shapes) > 1:
        out.findings.append("they differ in shape as well: they may not belong together")
    roles = {u.role for u in out.uses}
    if "base_color" not in roles:
        out.findings.append("there is no base color: a middle grey stands in")
    if not roles & {"roughness", "gloss"}:
        out.findings.append("there is no roughness: 0.6 everywhere stands in")
    if not roles & {"normal", "height", "bump"}:
        out.findings.append("there is no relief in it: neither normal, height nor bump")
    for f in out.files:
        out.findings += [f"{f.name}: {note}" for note in f.notes]
    out.findings += [f"left out: {text}" for text in out.refused]
