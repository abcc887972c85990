"""The report of a batch: a page with a picture of each row, and a line for each that failed."""

from __future__ import annotations

from collections.abc import Mapping
from html import escape
from urllib.parse import quote

from limus.batch.kept import Done
from limus.batch.one import PICTURE
from limus.batch.row import Work
from limus.playing.needed import in_bytes

_STYLE = """
body { font: 15px/1.5 system-ui, sans-serif; margin: 32px auto; max-width: 1100px; padding: 0 24px; color: #22282c;
  background: #f4f2ee; }
h1 { font-size: 22px; font-weight: 600; }
.rows { display: grid; grid-template-columns: repeat(auto-fill, minmax(250px, 1fr)); gap: 16px; }
article { background: #fff; border: 1px solid #d9d5cd; border-radius: 4px; overflow: hidden; }
article img { width: 100%; display: block; background: #e6e2da; aspect-ratio: 3 / 2; object-fit: contain; }
article div { padding: 10px 14px 12px; }
article h2 { font-size: 15px; margin: 0; font-weight: 600; overflow-wrap: anywhere; }
p { margin: 4px 0; } .quiet { color: #6c7176; font-size: 13px; }
.failed { border-left: 4px solid #a3472c; background: #fff; padding: 8px 14px; margin: 0 0 8px; }
"""


def report(title: str, works: Mapping[int, Work], done: Mapping[int, Done], failed: Mapping[int, str]) -> str:
    """The page, beside the folders that it shows."""
    cards = []
    for k, row in sorted(done.items()):
        order = works[k].order
        where = quote(row.out)
        notes = "".join(f"<p>{escape(note)}</p>" for note in row.notes)
        cards.append(
            f'<article><a href="{where}/"><img src="{where}/{PICTURE}" alt="{escape(works[k].scene.name)}"></a><div>'
            f"<h2>{escape(row.out)}</h2>"
            f'<p class="quiet">Row {k}: {escape(works[k].scene.name)}, {escape(order.target)} at {order.resolution}, '
            f"{len(row.files)} files, {in_bytes(sum(row.files.values()))}, {row.seconds:.0f} s</p>"
            f'<div class="quiet" style="padding:0">{notes}</div></div></article>'
        )
    lines = "".join(f'<p class="failed">{escape(line)}</p>' for _, line in sorted(failed.items()))
    said = f"{len(done)} done" + (f", {len(failed)} failed" if failed else "")
    return (
        f'<!doctype html><html lang="en"><meta charset="utf-8"><title>{escape(title)}</title>'
        f"<style>{_STYLE}</style><h1>{escape(title)}: {said}</h1>{lines}"
        f'<div class="rows">{"".join(cards)}</div></html>\n'
    )
