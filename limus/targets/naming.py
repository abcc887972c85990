"""Names of the files of a delivery, by a pattern of the user's."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from limus.common.errors import InputError
from limus.common.refusal import refusal
from limus.surface.mesh import Mesh
from limus.surface.udim import set_tiles
from limus.targets.written import file_stem, map_set_stems

#: Words of a pattern -> what each stands for.
WORDS = {
    "object": "the name of the scene",
    "set": "the map set",
    "map": "what the map shows",
    "size": "pixels along a side",
    "udim": "the tile that UVs of this map set lie in, 1001 for the first",
}
PATTERN = "{object}_{set}_{map}"
#: Characters of a pattern, and folders of one at most.
LONGEST, DEEPEST = 120, 4
_WORD = re.compile(r"\{([^{}]*)\}")
_PLAIN = re.compile(r"[A-Za-z0-9._/-]*")


def check_pattern(pattern: str) -> str:
    """The pattern, if every name it gives is one that every file system takes, within the folder.

    Raises
    ------
    ValueError : a ``refusal``.
    """
    accepted = "letters, digits, . _ - and " + ", ".join(f"{{{word}}}" for word in WORDS)
    if not pattern:
        return pattern
    for word in _WORD.findall(pattern):
        if word not in WORDS:
            raise refusal("", f"'{{{word[:40]}}}' is no word of a pattern", "Use one of these", accepted=accepted)
    rest = _WORD.sub("x", pattern)
    if not _PLAIN.fullmatch(rest):
        raise refusal("", "a name of a file holds other signs", "Leave them out", accepted=accepted)
    folders = rest.split("/")
    if len(folders) > DEEPEST or any(not one.strip(" .") or one[0] in " ." or one[-1] in " ." for one in folders):
        raise refusal(
            "", "the names would leave the folder, or be empty",
            f"Begin with a letter, and use / only between names, {DEEPEST - 1} times at most", accepted=accepted,
        )  # fmt: skip
    if "{map}" not in pattern:
        raise refusal("", "every map would have the same name", "Put {map} into it", accepted=accepted)
    return pattern


@dataclass(frozen=True)
class Naming:
    """Gives the files of maps their names: ``pattern`` "" is the usual one, ``name`` that of the scene, ``folder`` that
    maps lie in, if any.
    """

    pattern: str
    name: str
    mesh: Mesh
    folder: str = ""

    @property
    def stem(self) -> str:
        """Of files that there is one of."""
        return file_stem(self.name)

    def maps(self, title: str, suffix: str, size: int) -> tuple[str, ...]:
        """A file for each map set; ``title`` is what the map shows."""
        mesh = self.mesh
        return tuple(
            self._one({"set": stem, "map": title, "size": str(size), "udim": str(tile)}) + suffix
            for stem, tile in zip(map_set_stems(mesh.uv_domains), self._tiles, strict=True)
        )

    @cached_property
    def _tiles(self) -> tuple[int, ...]:
        return set_tiles(self.mesh)

    def _one(self, said: Mapping[str, str]) -> str:
        within = f"{self.folder}/" if self.folder else ""
        return within + _WORD.sub(lambda word: {"object": self.stem, **said}[word[1]], self.pattern or PATTERN)


def check_names(names: Sequence[str]) -> None:
    """Refuse two files of one name; file systems that take A and a for one are thought of.

    Raises
    ------
    InputError
    """
    seen: dict[str, str] = {}
    for name in names:
        if name.lower() in seen:
            raise InputError(
                f"two files would be called {name}",
                where="names",
                remedy="Put {set} into the pattern, and {map}, or another name",
                value=name,
            )
        seen[name.lower()] = name
    for name in names:
        above = name.lower().rsplit("/", 1)[0]
        if "/" in name and above in seen:
            raise InputError(
                f"{seen[above]} would be a file and a folder", where="names", remedy="Use other names", value=name
            )
