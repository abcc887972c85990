"""Drawing in a process of its own: what a drawing asks for (blurs, noise, a million of anything) is bounded by
nothing in it.

``python -m limus.formats.svg_worker PARENT SECONDS MEMORY LONGEST`` reads a checked drawing from its standard input
and writes a PNG whose longer side has ``LONGEST`` pixels, or ends with ``SAID`` and a line of what is wrong; nothing
else of the program is loaded.
"""

from __future__ import annotations

import io
import resource
import sys
import tempfile
from contextlib import suppress

from limus.common.dying import die_with_parent

#: Exit code when what is wrong is on the standard output.
SAID = 3


def _drawn(text: str, folder: str, width: int) -> bytes:
    import resvg_py

    return bytes(resvg_py.svg_to_bytes(svg_string=text, width=width, skip_system_fonts=True, resources_dir=folder))


def _picture(text: str, longest: int) -> bytes:
    from PIL import Image

    with tempfile.TemporaryDirectory() as nothing:
        # Drawn once small to learn its shape, so that a drawing a million wide takes no memory.
        wide, tall = Image.open(io.BytesIO(_drawn(text, nothing, 64))).size
        if max(wide, tall) > 64 * longest:
            raise ValueError("it is far longer than it is wide")
        width = longest if wide >= tall else max(1, round(longest * wide / tall))
        return _drawn(text, nothing, width)


def _main() -> None:
    parent, seconds, memory, longest = (int(x) for x in sys.argv[1:5])
    die_with_parent(parent)
    for what, most in ((resource.RLIMIT_CPU, seconds), (resource.RLIMIT_DATA, memory), (resource.RLIMIT_CORE, 0)):
        with suppress(ValueError, OSError):
            resource.setrlimit(what, (most, most))
    text = sys.stdin.buffer.read().decode("utf-8")
    try:
        out = _picture(text, longest)
    except Exception as error:  # the library raises plain ValueErrors, and a panic of its own for some broken files
        sys.stdout.buffer.write(str(error)[:120].encode("utf-8", "replace"))
        sys.stdout.buffer.flush()
        sys.exit(SAID)
    sys.stdout.buffer.write(out)


if __name__ == "__main__":
    _main()
