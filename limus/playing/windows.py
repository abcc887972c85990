"""A scene that is decided once, on the whole of its object, and drawn in windows at any density.

The whole is played as the texels of the windows see it (``surface.window.Whole``), and notes what is decided: levels,
means, sites, and fields that need all of the surface. A window plays the same layers over its own texels and looks
those up (``common.deciding``). Keys are the same in both, so nothing that is played knows which of the two it is in.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from limus.common.deciding import Ledger, making
from limus.common.errors import InputError
from limus.common.hashing import key_of
from limus.common.store import Store
from limus.document.scene import Scene
from limus.playing.chronicle import Chapter, Chronicle, Surface, Watcher
from limus.readings.exposure import Exposure
from limus.readings.measured import Measured
from limus.strata.pile import Pile
from limus.surface.texels import Texels
from limus.surface.window import Whole, Window, check_density, window_of

#: What a window keeps while it is drawn, bytes; nobody comes back for it.
_KEPT = 192 << 20


@dataclass(frozen=True)
class _Noted:
    """A result, and all that was decided on the way to it."""

    value: Any
    notes: dict[str, Any]


def _frozen(value: Any) -> Any:
    """The same, its arrays read-only: results and what is noted are shared."""
    if isinstance(value, np.ndarray):
        value.setflags(write=False)
    elif isinstance(value, (tuple, list)):
        for one in value:
            _frozen(one)
    return value


class _Noting:
    """Keeps results of the whole, each with what was decided on the way, so that a record is complete however much of
    it was played before.
    """

    def __init__(self, store: Store, density: int) -> None:
        self._store, self._density = store, density
        self.notes: dict[str, Any] = {}
        self._stack = threading.local()

    def _place(self, key: str) -> str:
        return f"noted at {self._density} {key}"

    def _open(self) -> dict[str, Any]:
        """Where what is decided just now is noted."""
        stack = getattr(self._stack, "open", None)
        return stack[-1] if stack else self.notes

    def get(self, key: str, make: Callable[[], Any]) -> Any:
        """See ``Keep``."""
        found: _Noted = self._store.get(self._place(key), lambda: self._made(key, make))
        self._open().update(found.notes)
        return found.value

    def _made(self, key: str, make: Callable[[], Any]) -> _Noted:
        stack = self._stack.__dict__.setdefault("open", [])
        stack.append({})
        try:
            with making(self, key):
                return _Noted(_frozen(make()), stack[-1])
        finally:
            stack.pop()

    def peek(self, key: str) -> Any | None:
        """See ``Keep``."""
        found: _Noted | None = self._store.peek(self._place(key))
        if found is None:
            return None
        self._open().update(found.notes)
        return found.value

    def put(self, key: str, value: Any) -> None:
        """See ``Keep``."""
        self._store.put(self._place(key), _Noted(_frozen(value), {}))

    def decided(self, key: str, make: Callable[[], Any], read: Callable[[Any], Any] | None) -> Any:
        """See ``Ledger``."""
        value = self._open()[key] = _frozen(make())
        return value


@dataclass
class Record:
    """What was decided for a scene, by key; the finished ``surface`` of the whole; what layers have to ``say``; and
    ``of``: which scene and whole that is.
    """

    notes: dict[str, Any]
    surface: Surface
    say: list[str]
    of: str
    #: Keys that a window asked for and that were not there: it decided by itself.
    lacking: set[str] = field(default_factory=set)


class _Drawing:
    """Keeps results of one window, and finds what the whole decided.

    Parameters
    ----------
    stays, place : where the surface between layers is kept for whoever draws the same window again, and under which
        name; None: nobody will.
    """

    def __init__(self, record: Record, stays: Store | None, place: str) -> None:
        self._record, self._store = record, Store(_KEPT)
        self._stays, self._place = stays, place

    def get(self, key: str, make: Callable[[], Any]) -> Any:
        """See ``Keep``."""

        def framed() -> Any:
            with making(self, key):
                return make()

        if self._stays is None:
            return self._store.get(key, framed)
        name = f"{self._place} {key}"
        there = self._stays.peek(name)
        if there is not None:
            return there
        began = time.perf_counter()
        value = self._store.get(key, framed)
        if isinstance(value, Pile | Chapter):
            # What else a window works with is large, and quickly made once the surface before a layer is there.
            self._stays.put(name, value, time.perf_counter() - began)
        return value

    def peek(self, key: str) -> Any | None:
        """See ``Keep``."""
        return self._store.peek(key)

    def put(self, key: str, value: Any) -> None:
        """See ``Keep``."""
        self._store.put(key, value)

    def decided(self, key: str, make: Callable[[], Any], read: Callable[[Any], Any] | None) -> Any:
        """See ``Ledger``."""
        notes = self._record.notes
        if key not in notes:
            # Something that the whole is too coarse to have met: it is no larger than a few texels of it.
            self._record.lacking.add(key)
            return make()
        return notes[key] if read is None else read(notes[key])


class Windows:
    """Windows of one object.

    Parameters
    ----------
    player : of the chronicle over the whole, at the resolution that is decided at. density : pixels along a side of a
        map set that windows are drawn at. stays : where what windows show between layers is kept, for a view that
        draws the same ones after every edit; None: each is drawn once.

    Raises
    ------
    InputError : a density that cannot be drawn, see ``check_density``.
    """

    def __init__(self, player: Chronicle, density: int, store: Store, stays: Store | None = None) -> None:
        check_density(player.texels, density)
        self._player, self._store, self._stays = player, store, stays
        self.whole = Whole.of_texels(player.texels, density)

    def held(self) -> tuple[int, tuple[object, ...]]:
        """For the store: all that is large is the whole's."""
        return 0, (self.whole,)

    def _chronicle(self, texels: Texels, keep: Any, at: Callable[[np.ndarray], np.ndarray]) -> Chronicle:
        readings, exposure = self._player.measured, self._player.exposure
        measured = Measured(texels, readings.plan, at(readings.table), readings.around, readings.key)
        seen = Exposure(texels, at(exposure.table), exposure.keys) if exposure is not None else None
        return Chronicle(texels, measured, keep, seen, self._player.files)

    def record(
        self, scene: Scene, *, until: str | None = None, check: Callable[[], None] | None = None,
        watch: Watcher | None = None,
    ) -> Record:  # fmt: skip
        """Decide all of a scene, or up to a layer ("" nothing: the object as it was made).

        Parameters
        ----------
        check : called between layers; may raise ``Cancelled``. watch : shown every chapter, as of ``Session.finished``.
        """
        noting = _Noting(self._store, self.whole.density)
        chronicle = self._chronicle(self.whole, noting, lambda table: table)
        surface, say = self._play(scene, chronicle, noting, until, check, watch)
        return Record(noting.notes, surface, say, self.key(scene, until))

    def key(self, scene: Scene, until: str | None = None) -> str:
        """Hash of everything that is decided hangs on."""
        return key_of(self.whole.key, self.whole.density, self._player.measured.key, scene.model_dump(), until)

    def _window(self, place: str, blocks: np.ndarray) -> Window:
        if self._stays is None:
            return window_of(self.whole, blocks)
        window: Window = self._stays.get(place, lambda: window_of(self.whole, blocks))
        return window

    @staticmethod
    def _play(
        scene: Scene, chronicle: Chronicle, ledger: Ledger, until: str | None, check: Callable[[], None] | None,
        watch: Watcher | None,
    ) -> tuple[Surface, list[str]]:  # fmt: skip
        say: list[str] = []
        with making(ledger, "record"):
            pile = chronicle.as_made(scene)
            chapters = chronicle.playing(scene, until=until, check=check) if until != "" else ()
            for chapter in chapters:
                if watch is not None:
                    watch.chapter(chronicle, chapter, pile)
                pile = chapter.pile
                if chapter.note:
                    say.append(f"{chapter.layer.name}: {chapter.note[0].lower()}{chapter.note[1:]}")
            if watch is not None:
                watch.end(chronicle, pile)
            return chronicle.finish(pile), say

    def draw(
        self, scene: Scene, record: Record, blocks: np.ndarray, *, until: str | None = None,
        check: Callable[[], None] | None = None, watch: Watcher | None = None,
    ) -> tuple[Window, Surface]:  # fmt: skip
        """The window over ``blocks`` (m,), pixels of the whole's pictures, finished; its rim is part of it and not
        right to its end.
        """
        found = self.draw_if_any(scene, record, blocks, until=until, check=check, watch=watch)
        if found is None:
            raise InputError("there is no surface in this tile", where="tile", remedy="Ask for another one")
        return found

    def draw_if_any(
        self, scene: Scene, record: Record, blocks: np.ndarray, *, until: str | None = None,
        check: Callable[[], None] | None = None, watch: Watcher | None = None,
    ) -> tuple[Window, Surface] | None:  # fmt: skip
        """The same; None where there is no surface.

        Raises
        ------
        InputError : the record is that of another scene, size or object.
        """
        if record.of != self.key(scene, until):
            raise InputError(
                "what was decided belongs to another scene, size or object",
                where="record",
                remedy="Decide it anew for this one",
            )
        place = key_of("window", self.whole.key, self.whole.density, self._player.measured.key, blocks)
        window = self._window(place, blocks)
        if not window.wanted[window.block].any():
            return None
        drawing = _Drawing(record, self._stays, place)
        chronicle = self._chronicle(
            window, drawing, lambda table: window.from_whole(table).astype(table.dtype, copy=False)
        )
        return window, self._play(scene, chronicle, drawing, until, check, watch)[0]
