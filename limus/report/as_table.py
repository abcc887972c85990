"""The report as a table: comma-separated values (RFC 4180)."""

from __future__ import annotations

import csv
import io

from limus.report.condition import Condition

HEAD = (
    "part", "coat", "family", "shows_share", "shows_m2", "lies_share", "thickness_mean_um", "thickness_p05_um",
    "thickness_p50_um", "thickness_p95_um", "part_m2", "rusted_share", "iso_4628_3", "astm_d610", "flaked_share",
    "iso_4628_5", "year",
)  # fmt: skip


def as_csv(found: Condition) -> str:
    """A row for each coat of each part; the part "" is all of it."""
    out = io.StringIO()
    rows = csv.writer(out)
    rows.writerow(HEAD)
    for part in (found.whole, *found.parts):
        for coat in part.coats:
            t = coat.thickness_um
            thick = [f"{x:.4g}" for x in (t.mean, t.low, t.median, t.high)] if t is not None else [""] * 4
            rows.writerow(
                [
                    _plain(part.name), _plain(coat.name), coat.family, f"{coat.shows:.5f}", f"{coat.area_m2:.6g}",
                    f"{coat.lies:.5f}", *thick, f"{part.area_m2:.6g}", f"{part.rusted:.5f}", part.rust_iso,
                    part.rust_astm, "" if part.flaked is None else f"{part.flaked:.5f}", part.flaking_iso,
                    f"{found.year:g}",
                ]
            )  # fmt: skip
    return out.getvalue()


def _plain(name: str) -> str:
    """A name that no spreadsheet takes for a formula."""
    return f"'{name}" if name.startswith(("=", "+", "-", "@", "\t", "\r")) else name
