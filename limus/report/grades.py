"""Grades of coated surfaces, by the area that is affected (all from memory).

ISO 4628-3 rust, ISO 4628-4 cracks (how large they are), ISO 4628-5 flaking, ASTM D610 rust. Blisters (ISO 4628-2) are
compared with pictures of bulges in the standard, and how many cracks there are with others: neither is an area, so
neither is graded.
"""

from __future__ import annotations

from limus.effects.chipping import FLAKING_GRADES
from limus.effects.rust import ASTM_GRADES, RUST_GRADES

#: Classes of the size of cracks by their width in mm (ISO 4628-4): what each reaches up to.
CRACK_SIZES: dict[str, float] = {"1": 0.02, "2": 0.05, "3": 0.2, "4": 1.0, "5": float("inf")}


def rust_iso(share: float) -> str:
    """Degree of rusting, "Ri0" to "Ri5", of a share 0..1 of the area: the one whose area is nearest by factors."""
    return _nearest(share, RUST_GRADES)


def flaking_iso(share: float) -> str:
    """Class of the quantity of flaking, "0" to "5", of a share 0..1 of the painted area."""
    return _nearest(share, FLAKING_GRADES)


def rust_astm(share: float) -> str:
    """Rust grade, "10" (sound) to "0", of a share 0..1 of the area: the best that allows so much."""
    for grade, most in ASTM_GRADES.items():
        if grade == "0":
            break
        if share * 100.0 <= most * 1.0001:
            return grade
    return "0"


def crack_size(width_mm: float) -> str:
    """Class of the size of cracks of this width, "1" to "5"."""
    return next(grade for grade, most in CRACK_SIZES.items() if width_mm < most)


def _nearest(share: float, grades: dict[str, float]) -> str:
    """Areas of grades grow by factors: half way between two is their geometric mean; below half of the first there is
    none.
    """
    names, areas = list(grades), [value / 100.0 for value in grades.values()]
    for k in range(len(names) - 1):
        border = 0.5 * areas[1] if areas[k] == 0.0 else (areas[k] * areas[k + 1]) ** 0.5
        if share < border:
            return names[k]
    return names[-1]
