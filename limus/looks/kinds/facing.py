"""How squarely the surface faces the camera that it is looked at with."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from limus.common.errors import InputError
from limus.looks.look import Look, LookThrough, Shown
from limus.looks.seen import Seen
from limus.masks.sources.facing import facing_eye


class FacingLook(LookThrough):
    """White where it is seen straight on, black where it is seen edge on or turned away."""

    kind: ClassVar[str] = "facing"

    def shown(self, seen: Seen, look: Look) -> Shown:
        """See the class."""
        if look.eye is None or not np.isfinite(look.eye).all():
            raise InputError(
                "no camera is named", where="look.eye", remedy="Give the place of the camera, metres in the view"
            )
        texels = seen.chronicle.texels
        values = facing_eye(texels.position, texels.normal, np.array(look.eye))
        return Shown("Facing the camera", values, words=("edge on", "straight on"))
