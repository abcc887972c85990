"""Words from outside, fit to be shown: names out of files, and lines that quote them."""

from __future__ import annotations

import difflib
import unicodedata
from collections.abc import Iterable

#: Longest line that is shown of a refusal.
LONGEST = 300


def plain(text: object, most: int = 120, otherwise: str = "") -> str:
    """``text`` without control characters, lone surrogates and line breaks, at most ``most`` characters long.

    ``otherwise`` is given where nothing is left.
    """
    shown = "".join(
        " " if c.isspace() else c for c in str(text)[: most * 8] if unicodedata.category(c)[0] != "C" or c.isspace()
    )
    shown = " ".join(shown.split())
    return (shown if len(shown) <= most else f"{shown[: most - 3].rstrip()}...") or otherwise


def one_of(have: Iterable[str], asked: str = "", most: int = 125) -> str:
    """What there is to choose from, as a remedy: whole names only, the likeliest first, and how many more there are.

    Parameters
    ----------
    have : the names there are. asked : the name that is not among them; those spelt most like it come first. most :
        most characters.
    """
    names = [plain(name, 60) for name in have]
    if not names:
        return "There is none to choose"
    # A file may hold a hundred thousand parts: only so many are compared, and more than these never fit.
    by_spelling = {name.lower(): name for name in names[:2000]}
    near = [by_spelling[word] for word in difflib.get_close_matches(asked[:60].lower(), by_spelling, n=3, cutoff=0.6)]
    shown = [*near, *(name for name in names[: most + 3] if name not in near)][:most]
    while len(shown) > 1 and len(_listed(shown, len(names))) > most:
        shown.pop()
    return _listed(shown, len(names))


def _listed(shown: list[str], count: int) -> str:
    more = f" and {count - len(shown)} more" if len(shown) < count else ""
    return f"Choose one of: {', '.join(shown)}{more}"
