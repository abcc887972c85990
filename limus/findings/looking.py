"""Looking for everything that may be wrong."""

from __future__ import annotations

from collections.abc import Callable

from limus.common.registry import discover
from limus.findings import kinds
from limus.findings.finding import SEVERITIES, Finding, Found
from limus.looks.seen import Seen
from limus.playing.chronicle import Chronicle
from limus.playing.session import Session

#: Every kind by its name, in the order in which they are listed.
KINDS: dict[str, type[Finding]] = discover(kinds, Finding)


def findings(seen: Seen, check: Callable[[], None] = lambda: None) -> list[Found]:
    """All findings, the gravest first. ``check`` is called between kinds and may raise ``Cancelled``."""
    out: list[Found] = []
    for kind in KINDS.values():
        check()
        out += kind().look(seen)
    return sorted(out, key=lambda one: SEVERITIES.index(one.severity))


def findings_on(session: Session, chronicle: Chronicle, check: Callable[[], None] = lambda: None) -> list[Found]:
    """All findings of the scene of ``session``, in one evaluation of its chronicle. Raises Cancelled by ``check``."""
    chapters = chronicle.play(session.scene, check=check)
    pile = chapters[-1].pile if chapters else chronicle.as_made(session.scene)
    return findings(Seen(session, chronicle, pile, chapters), check)
