"""The one exception for input that cannot be used."""

from __future__ import annotations


class InputError(ValueError):
    """Bad input, said so that a person can mend it.

    Parameters
    ----------
    problem : what is wrong, in one sentence without a full stop.
    where : the file and the field inside it, e.g. ``"cup.glb: meshes[0].primitives[1].indices"``.
    remedy : what to do about it.
    """

    def __init__(self, problem: str, *, where: str = "", remedy: str = "") -> None:
        self.problem = problem
        self.where = where
        self.remedy = remedy
        super().__init__(self.line)

    @property
    def line(self) -> str:
        """The whole message on one line."""
        text = f"{self.where}: {self.problem}" if self.where else self.problem
        return f"{text}. {self.remedy}." if self.remedy else f"{text}."

    def as_dict(self) -> dict[str, str]:
        """For an API answer."""
        return {"message": self.line, "problem": self.problem, "where": self.where, "remedy": self.remedy}


class Cancelled(Exception):
    """Raised inside long work when the caller asked for it to stop."""
