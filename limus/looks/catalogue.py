"""All looks by their kind."""

from __future__ import annotations

from limus.common.registry import discover
from limus.looks import kinds
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen

LOOKS: dict[str, LookThrough] = {kind: found() for kind, found in discover(kinds, LookThrough).items()}


def shown(seen: Seen, look: Look) -> Shown:
    """What is shown for a look; ``look.kind`` is not "lit". Relief, normal and occlusion are looked through by name
    like channels.
    """
    own = LOOKS.get(look.name) if look.kind == "channel" else None
    return (own or LOOKS[look.kind]).shown(seen, look)
