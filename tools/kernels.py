"""Write limus/common/kernels.txt anew: what the kernels on this machine are compiled for, as the whole of the tests
calls them. Begin with ``make kernels test``.
"""

from __future__ import annotations

import importlib
import pkgutil

import limus
from limus.common.compiling import LIST, line_of
from limus.common.kernel import Kernel


def kernels() -> list[Kernel]:
    """Every kernel of the core."""
    found: list[Kernel] = []
    for info in pkgutil.walk_packages(limus.__path__, "limus."):
        if info.name.endswith(("__main__", "svg_worker")):
            continue
        of = importlib.import_module(info.name)
        found += [k for k in vars(of).values() if isinstance(k, Kernel) and k.__module__ == info.name]
    return found


def main() -> None:
    """Write it."""
    lines: set[str] = set()
    for kernel in kernels():
        # What Numba keeps beside the source, where it is not older than that.
        for signature, *_ in kernel.compiled._cache._cache_file._load_index():
            try:
                lines.add(line_of(kernel, signature))
            except ValueError as fault:
                print(f"{kernel.__module__}.{kernel.__name__}: {fault}")
    LIST.write_text("".join(f"{line}\n" for line in sorted(lines)), encoding="utf-8")
    print(f"{len(lines)} kernels")


if __name__ == "__main__":
    main()
