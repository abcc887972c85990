"""The guide as files: one page, and its pictures."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from html import escape
from pathlib import Path
from typing import get_args

from limus.formats.files import write_whole
from limus.formats.png import png_bytes
from limus.guide.guide import GuideEntry
from limus.guide.pictures import On, guide_picture
from limus.guide.shown_on import Level

_STYLE = """body{font:15px/1.5 sans-serif;max-width:60em;margin:2em auto;padding:0 1em;color:#22262a}
img{width:264px;margin:0 6px 6px 0;vertical-align:top}table{border-collapse:collapse;margin:.5em 0}
td,th{text-align:left;vertical-align:top;padding:2px 12px 2px 0}section{border-top:1px solid #ccc;padding:1em 0}"""


def pictures_of(entry: GuideEntry) -> Iterator[tuple[On, Level]]:
    """What an entry has pictures of."""
    if not entry.pictures:
        return
    for on in get_args(On):
        for level in get_args(Level) if entry.levels else ("default",):
            yield on, level


def picture_name(entry: GuideEntry, on: str, level: str) -> str:
    """Name of a picture's file."""
    return f"{entry.what}-{entry.kind.replace(' ', '-')}-{on}-{level}.png"


def write_pages(entries: list[GuideEntry], folder: Path, said: Callable[[str], None] = lambda word: None) -> int:
    """Write ``index.html`` and its pictures into the folder; returns the number of pictures."""
    out = ["<!doctype html><meta charset='utf-8'><title>Limus: guide</title>", f"<style>{_STYLE}</style><h1>Guide</h1>"]
    count = 0
    group = ""
    for entry in entries:
        if entry.group != group:
            group = entry.group
            out.append(f"<h2>{escape(group)}</h2>")
        said(entry.title)
        out.append(f"<section id='{entry.what}-{escape(entry.kind)}'><h3>{escape(entry.title)}</h3>")
        out.append(f"<p>{escape(entry.summary)}. {escape(entry.when)}</p>")
        for on, level in pictures_of(entry):
            name = picture_name(entry, on, level)
            write_whole(folder / name, png_bytes(guide_picture(entry.what, entry.kind, on, level)))  # type: ignore[arg-type]
            out.append(f"<img src='{escape(name)}' alt='{escape(entry.title)} on a {on}, {level}'>")
            count += 1
        if entry.looks_at:
            out.append(f"<p>Looks at {escape('; '.join(entry.looks_at))}.</p>")
        if entry.acts_on:
            out.append(f"<p>Acts on {escape(', '.join(entry.acts_on))}.</p>")
        out += [
            f"<p>{escape(note)}</p>"
            for note in [*entry.notes, entry.grows, entry.figures and f"Figures: {entry.figures}."]
            if note
        ]
        if entry.fields:
            rows = (
                f"<tr><th>{escape(f.title)}<td>{escape(f.about)}<td>{escape(f.usual)}<td>{escape(f.range)}"
                for f in entry.fields
            )
            out.append(f"<table>{''.join(rows)}</table>")
        out.append("</section>")
    write_whole(folder / "index.html", "\n".join(out).encode())
    return count
