"""Finished pictures by the hash of their content, kept in the store for the browser to fetch."""

from __future__ import annotations

import hashlib

from limus.common.store import shared

#: Seconds that it takes to make a picture again, with the evaluation that leads to it: what was announced should be
#: there.
_COST = 0.05
#: Seconds for which a picture that an answer announced stays, until it is fetched.
PROMISED = 8.0


class Pictures:
    """The pictures of one owner: nobody can fetch those of somebody else."""

    def __init__(self, owner: int) -> None:
        self.name = f"owner {owner}"

    def _key(self, name: str) -> str:
        return f"map {self.name} {name}"

    def put(self, data: bytes, media: str) -> str:
        """Keep ``data`` and return its hash."""
        name = hashlib.blake2b(data, digest_size=16).hexdigest()
        if shared().peek(self._key(name)) is None:
            shared().put(self._key(name), (data, media), _COST, pinned=PROMISED)
        return name

    def get(self, name: str) -> tuple[bytes, str] | None:
        """(data, media type), or None when it was let go."""
        found: tuple[bytes, str] | None = shared().peek(self._key(name))
        return found

    def fetched(self, name: str) -> None:
        """It was asked for and given: it need not be held for that any longer."""
        shared().unpin(self._key(name))

    def holds(self, names: list[str]) -> bool:
        """Whether all are still there; they count as used."""
        return all(self.get(name) is not None for name in names)
