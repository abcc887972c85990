"""``limus watch``: models and pictures of a folder offered to a server whenever they change."""

from __future__ import annotations

import argparse
import json
import os
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from urllib.parse import quote

from limus.common.errors import InputError
from limus.formats.beside import noting_beside
from limus.formats.files import bytes_of, checksum_of
from limus.formats.picture_read import PICTURES
from limus.formats.read import SUFFIXES, read_object

#: Seconds that a request may take, and that a file is looked at by the server at most.
PATIENCE, LOOKED_AT = 60.0, 300.0
#: Files of one folder at most; more is somebody's whole disk.
MOST = 5000


def arguments(parser: argparse.ArgumentParser) -> None:
    """Its options."""
    parser.add_argument("folder", help="models and pictures in it and below are looked at")
    parser.add_argument("--server", required=True, metavar="URL", help="where Limus runs; the token is in LIMUS_TOKEN")
    parser.add_argument("--every", type=float, default=2.0, metavar="SECONDS", help="between looks (2)")


def run(args: argparse.Namespace) -> None:
    """Until Ctrl+C.

    Raises
    ------
    InputError : no folder, no token, a server that does not take it.
    """
    folder, token = Path(args.folder), os.environ.get("LIMUS_TOKEN", "")
    if not folder.is_dir():
        raise InputError(
            "it is no folder", where=str(args.folder), remedy="Name the folder that models and textures are saved in"
        )
    if not token:
        raise InputError(
            "there is no token", where="LIMUS_TOKEN", remedy="Make one that may change things (Access for programs)"
        )
    if not 0.2 <= args.every <= 3600:
        raise InputError("not a number of seconds from 0.2 to 3600", where="--every", remedy="Take 2")
    if not args.server.startswith(("http://", "https://")):
        raise InputError("it is no address", where="--server", remedy="Write http://localhost:8640")
    watcher = Watcher(folder, Server(args.server.rstrip("/"), token), print)
    known = watcher.begin()
    print(f"Watching {known} files in {folder}. Ctrl+C ends it.", flush=True)
    while True:
        time.sleep(args.every)
        watcher.look()


@dataclass(frozen=True)
class Server:
    """Talks to the API of ``address`` by a ``token``."""

    address: str
    token: str

    def call(self, method: str, path: str, body: Any = None, raw: bytes | None = None) -> Any:
        """What is answered, parsed.

        Raises
        ------
        InputError : nobody answers, or it is refused; in the words of the server.
        """
        data = raw if raw is not None else json.dumps(body).encode() if body is not None else None
        kind = "application/octet-stream" if raw is not None else "application/json"
        asked = urllib.request.Request(
            f"{self.address}/api{path}", data, {"Authorization": f"Bearer {self.token}", "Content-Type": kind},
            method=method,
        )  # fmt: skip
        try:
            with urllib.request.urlopen(asked, timeout=PATIENCE) as answer:
                text = answer.read()
        except urllib.error.HTTPError as error:
            raise InputError(
                _said(error.read()) or f"the server refuses it ({error.code})", where="--server"
            ) from error
        except (OSError, ValueError) as error:
            raise InputError(
                f"no server answers at {self.address}", where="--server", remedy="Start it, or check the address"
            ) from error
        try:
            return json.loads(text) if text else None
        except ValueError as error:
            raise InputError("what answers there is not Limus", where="--server", remedy="Check the address") from error


def _said(data: bytes) -> str:
    try:
        found = json.loads(data)
        return str(found.get("message") or found.get("detail") or "").rstrip(".")
    except (ValueError, AttributeError):
        return ""


@dataclass
class Watcher:
    """Looks at a folder again and again; what changed and stood still for one look is offered to every object that was
    made from a file of that name.
    """

    folder: Path
    server: Server
    say: Callable[[str], None]
    #: Size and time of change of each file when it was seen last, and whether it is to be offered once it stands still.
    seen: dict[Path, tuple[int, int]] = field(default_factory=dict)
    changed: set[Path] = field(default_factory=set)
    sent: dict[Path, str] = field(default_factory=dict)

    def begin(self) -> int:
        """Take the folder as it is; gives the number of models and pictures in it.

        Raises
        ------
        InputError : the server takes the token for none.
        """
        self.server.call("GET", "/projects")
        self.seen = self._stamps()
        files = self._files()
        # The server knows whether a picture is another one; a folder may hold very many.
        self.sent = {path: checksum_of(path) for path in files if path.suffix.lower() in SUFFIXES}
        return len(files)

    def look(self) -> None:
        """Once. What cannot be offered is said and tried again when it changes."""
        now = self._stamps()
        moved = {path for path, stamp in now.items() if self.seen.get(path) != stamp}
        still = {path for path in self.changed if path in now and path not in moved}
        self.changed = (self.changed | moved) - still
        self.seen = now
        # A file that a model names changes the model.
        models = {path for path in still if path.suffix.lower() in SUFFIXES}
        others = still - models
        if others:
            beside = {other.parent for other in others}
            models |= {path for path in self._files() if path.suffix.lower() in SUFFIXES and path.parent in beside}
        for path in sorted(models):
            try:
                self._offer(path, companions=bool(others))
            except InputError as error:
                self.say(f"{path.name}: {error.line}")
        for path in sorted(other for other in others if other.suffix.lower() in PICTURES):
            try:
                self._offer_picture(path)
            except InputError as error:
                self.say(f"{path.name}: {error.line}")

    def _offer_picture(self, path: Path) -> None:
        """To every object that names a picture of that name: in a base, a decal, a mask."""
        total = checksum_of(path)
        if self.sent.get(path) == total:
            return
        self.sent[path] = total
        for project in self.server.call("GET", "/projects"):
            place = f"/projects/{project['id']}/offered-pictures?name={quote(path.name)}"
            for offer in self.server.call("PUT", place, raw=bytes_of(path)):
                self.say(f"{path.name}: offered to {offer['object_name']}: {offer['note']}")

    def _offer(self, path: Path, *, companions: bool) -> None:
        total = checksum_of(path)
        if self.sent.get(path) == total and not companions:
            return
        with noting_beside() as beside:
            read_object(path)
        if companions and self.sent.get(path) == total and not beside:
            return
        self.sent[path] = total
        found = [
            (project["id"], item)
            for project in self.server.call("GET", "/projects")
            for item in project["objects"]
            if item["file"].rsplit("/", 1)[-1] == path.name
        ]
        if not found:
            self.say(f"{path.name}: no object was made from a file of that name")
        for project, item in found:
            self.say(f"{path.name}: {self._sent(path, sorted(beside), project, item)}")

    def _sent(self, path: Path, beside: list[Path], project: int, item: dict[str, Any]) -> str:
        call = self.server.call
        intake = call(
            "POST", f"/projects/{project}/intakes", {"purpose": "replace", "object": item["id"], "offer": True}
        )
        for file in (path, *beside):
            call("PUT", f"/intakes/{intake['id']}/files?name={quote(file.name)}", raw=bytes_of(file))
        intake = call("POST", f"/intakes/{intake['id']}/check")
        deadline = time.monotonic() + LOOKED_AT
        while intake["state"] == "checking" and time.monotonic() < deadline:
            time.sleep(0.3)
            intake = call("GET", f"/intakes/{intake['id']}")
        if intake["state"] != "ready":
            return f"{item['name']} cannot take it: {intake['error'] or 'it is still looked at'}"
        report = intake["report"] or {}
        lines = [*report.get("kept", ()), *report.get("look", ())]
        return f"offered to {item['name']}" + (f": {'; '.join(lines[:4])}" if lines else "")

    def _files(self) -> list[Path]:
        """Models and pictures."""
        out = []
        kinds = {*SUFFIXES, *PICTURES} - {".zip"}
        for path in sorted(self.folder.rglob("*")):
            if path.suffix.lower() in kinds and not path.name.startswith(".") and path.is_file():
                out.append(path)
                if len(out) > MOST:
                    raise InputError(
                        f"there are more than {MOST} models and pictures", where=str(self.folder),
                        remedy="Name a folder below it",
                    )  # fmt: skip
        return out

    def _stamps(self) -> dict[Path, tuple[int, int]]:
        out = {}
        folders = {path.parent for path in self._files()}
        for folder in folders:
            for path in folder.iterdir():
                try:
                    about = path.stat()
                except OSError:
                    continue
                if path.is_file() and not path.name.startswith("."):
                    out[path] = (about.st_size, about.st_mtime_ns)
        return out
