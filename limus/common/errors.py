"""The one exception for input that cannot be used."""

from __future__ import annotations

import re

from limus.common.wording import LONGEST, plain

#: An absolute path of several steps; what stays is its last step.
_PATH = re.compile(r"(?<![\w./])/(?:[^/\s'\"]+/)+([^/\s'\"]+)")


class InputError(ValueError):
    """Bad input, said so that a person can mend it.

    Parameters
    ----------
    problem : what is wrong, in one sentence without a full stop.
    where : the file and the field inside it, e.g. ``"cup.glb: meshes[0].primitives[1].indices"``.
    remedy : what to do about it.
    value : what was given, as JSON. accepted : what would have been taken, in words; both where they are known.

    Notes
    -----
    Whatever a file or a person put into them is cleaned of control characters and kept short: the line has at most
    300 characters.
    """

    def __init__(self, problem: str, *, where: str = "", remedy: str = "", value: str = "", accepted: str = "") -> None:
        self.where = plain(where, 110)
        self.remedy = plain(remedy, 140)
        self.value, self.accepted = plain(value, 80), plain(accepted, 2000)
        # Libraries put whole paths into what they raise; where somebody's files lie is nobody else's business.
        problem = _PATH.sub(r"\1", problem)
        self.problem = plain(problem, max(60, LONGEST - len(self.where) - len(self.remedy) - 6))
        super().__init__(self.line)

    @property
    def line(self) -> str:
        """The whole message on one line."""
        text = f"{self.where}: {self.problem}" if self.where else self.problem
        return plain(f"{text}. {self.remedy}." if self.remedy else f"{text}.", LONGEST)

    def as_dict(self) -> dict[str, str]:
        """For an API answer."""
        return {
            "message": self.line,
            "problem": self.problem,
            "where": self.where,
            "remedy": self.remedy,
            "value": self.value,
            "accepted": self.accepted,
        }


class Cancelled(Exception):
    """Raised inside long work when the caller asked for it to stop."""
