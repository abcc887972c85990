"""Commands on episodes: layers under one bracket."""

from __future__ import annotations

import copy
from typing import ClassVar, Literal

from pydantic import Field

from limus.commands.command import Command
from limus.commands.draft import Draft, fresh_id, ids, numbered_id, renamed_layers
from limus.commands.layers import nobody_looks
from limus.common.errors import InputError
from limus.common.fields import Name
from limus.document.episode import Episode

STEM = "episode"


class Gather(Command):
    """A bracket over layers that stand next to each other."""

    kind: Literal["gather"] = "gather"
    title: ClassVar[str] = "New episode"
    layers: list[str] = Field(min_length=1, max_length=200, description="Ids of its layers")
    name: Name = Field("Episode", min_length=1, max_length=80)

    def change(self, draft: Draft) -> str:
        """Put them under it."""
        chosen = [draft.layer(name, "layers") for name in self.layers]
        places = sorted(draft.layers.index(layer) for layer in chosen)
        if places != list(range(places[0], places[0] + len(places))):
            raise InputError(
                "the layers do not stand next to each other",
                where="layers",
                remedy="Move them together first, or name fewer",
            )
        name = numbered_id(STEM, ids(draft.episodes))
        for layer in chosen:
            layer["episode"] = name
        draft.episodes.append(Episode(id=name, name=self.name).model_dump(mode="json"))
        draft.made["episode"] = name
        return "New episode"


class Join(Command):
    """Put a layer into the episode next to it, or take it out of its own."""

    kind: Literal["join"] = "join"
    title: ClassVar[str] = "Into or out of an episode"
    words: ClassVar[tuple[str, ...]] = ("layer", "episode")
    layer: str = Field(max_length=40, description="Id of the layer")
    episode: str = Field("", max_length=40, description="Id of the episode; empty: out of its own")

    def change(self, draft: Draft) -> str:
        """Put it there."""
        layer = draft.layer(self.layer)
        k = draft.layers.index(layer)
        if self.episode:
            draft.episode(self.episode)
            beside = {draft.layers[j]["episode"] for j in (k - 1, k + 1) if 0 <= j < len(draft.layers)}
            if self.episode not in beside:
                raise InputError(
                    "the episode does not stand next to the layer",
                    where="episode",
                    remedy="Move the layer beside it first",
                )
        elif layer["episode"]:
            inside = [
                j
                for j in (k - 1, k + 1)
                if 0 <= j < len(draft.layers) and draft.layers[j]["episode"] == layer["episode"]
            ]
            if len(inside) == 2:
                # From the middle it goes behind the last of them, or it would be taken in again.
                last = draft.layers.index(draft.members(layer["episode"])[-1])
                draft.layers.remove(layer)
                draft.layers.insert(last, layer)
        layer["episode"] = self.episode
        return "Into episode" if self.episode else "Out of episode"


class Split(Command):
    """Two episodes out of one: the layer named and what follows it come under a bracket of their own."""

    kind: Literal["split"] = "split"
    title: ClassVar[str] = "Split episode"
    words: ClassVar[tuple[str, ...]] = ("layer",)
    layer: str = Field(max_length=40, description="Id of the first layer of the second episode")

    def change(self, draft: Draft) -> str:
        """Part it."""
        layer = draft.layer(self.layer)
        if not layer["episode"]:
            raise InputError(
                f"'{layer['name']}' belongs to no episode", where="layer", remedy="Choose a layer inside one"
            )
        members = draft.members(layer["episode"])
        k = members.index(layer)
        if k == 0:
            raise InputError(
                f"'{layer['name']}' is the first of its episode", where="layer", remedy="Choose a later one"
            )
        twin = copy.deepcopy(draft.episode(layer["episode"]))
        twin["id"] = numbered_id(STEM, ids(draft.episodes))
        twin["name"] = f"{twin['name'][:76]}, 2"
        for member in members[k:]:
            member["episode"] = twin["id"]
        draft.episodes.append(twin)
        draft.made["episode"] = twin["id"]
        return "Split episode"


class Fold(Command):
    """Show an episode as one card, or its layers again."""

    kind: Literal["fold"] = "fold"
    title: ClassVar[str] = "Fold episode"
    words: ClassVar[tuple[str, ...]] = ("episode",)
    episode: str = Field(max_length=40, description="Id of the episode")
    folded: bool = Field(True, description="False: unfold it")

    def change(self, draft: Draft) -> str:
        """Fold it."""
        draft.episode(self.episode)["folded"] = self.folded
        return "Fold" if self.folded else "Unfold"


class RenameEpisode(Command):
    """Another name for an episode; its id stays."""

    kind: Literal["rename-episode"] = "rename-episode"
    title: ClassVar[str] = "Rename episode"
    words: ClassVar[tuple[str, ...]] = ("episode", "name")
    episode: str = Field(max_length=40, description="Id of the episode")
    name: Name = Field(min_length=1, max_length=80, description="Its new name")

    def change(self, draft: Draft) -> str:
        """Rename it."""
        draft.episode(self.episode)["name"] = self.name
        return "Rename episode"


class MoveEpisode(Command):
    """Let an episode happen before or after whatever stands next to it, another episode as a whole."""

    kind: Literal["move-episode"] = "move-episode"
    title: ClassVar[str] = "Move episode"
    words: ClassVar[tuple[str, ...]] = ("episode", "way")
    episode: str = Field(max_length=40, description="Id of the episode")
    way: Literal["earlier", "later"] = Field(description="Which way")

    def change(self, draft: Draft) -> str:
        """Move it."""
        draft.episode(self.episode)
        own = draft.members(self.episode)
        rest = [layer for layer in draft.layers if layer["episode"] != self.episode]
        first = draft.layers.index(own[0])
        if self.way == "earlier":
            edge = first
            if edge == 0:
                raise InputError("nothing happened before it", where="way", remedy="It is the earliest already")
            beside = rest[edge - 1]
            edge -= len(draft.members(beside["episode"])) if beside["episode"] else 1
        else:
            if first >= len(rest):
                raise InputError("nothing happened after it", where="way", remedy="It is the latest already")
            beside = rest[first]
            edge = first + (len(draft.members(beside["episode"])) if beside["episode"] else 1)
        draft.document["layers"] = [*rest[:edge], *own, *rest[edge:]]
        return "Move episode"


class DuplicateEpisode(Command):
    """An episode with its layers once more, right after it; lines among its layers go along."""

    kind: Literal["duplicate-episode"] = "duplicate-episode"
    title: ClassVar[str] = "Duplicate episode"
    words: ClassVar[tuple[str, ...]] = ("episode",)
    episode: str = Field(max_length=40, description="Id of the episode")

    def change(self, draft: Draft) -> str:
        """Make its twin."""
        twin = copy.deepcopy(draft.episode(self.episode))
        members = draft.members(self.episode)
        twin["id"] = numbered_id(STEM, ids(draft.episodes))
        twin["name"] = f"{twin['name']} copy"[:80]
        taken = ids(draft.layers)
        names: dict[str, str] = {}
        twins = copy.deepcopy(members)
        for layer in twins:
            old = layer["id"]
            layer["id"] = names[old] = fresh_id(layer["effect"]["kind"], taken)
            layer["episode"] = twin["id"]
        for recipe in [twin["where"], *(layer["where"] for layer in twins)]:
            renamed_layers(recipe["terms"], names)
            for term in recipe["terms"]:
                # A line that looks at another layer now is not the same line any more.
                term["link"] = ""
        after = draft.layers.index(members[-1]) + 1
        draft.layers[after:after] = twins
        draft.episodes.append(twin)
        draft.made["episode"] = twin["id"]
        return "Duplicate episode"


class Dissolve(Command):
    """The bracket goes, its layers stay."""

    kind: Literal["dissolve"] = "dissolve"
    title: ClassVar[str] = "Dissolve episode"
    words: ClassVar[tuple[str, ...]] = ("episode",)
    episode: str = Field(max_length=40, description="Id of the episode")

    def change(self, draft: Draft) -> str:
        """Take the bracket away."""
        draft.episode(self.episode)
        for layer in draft.members(self.episode):
            layer["episode"] = ""
        return "Dissolve episode"


class RemoveEpisode(Command):
    """An episode goes with its layers; refused while a line elsewhere looks at one of them."""

    kind: Literal["remove-episode"] = "remove-episode"
    title: ClassVar[str] = "Remove episode"
    words: ClassVar[tuple[str, ...]] = ("episode",)
    episode: str = Field(max_length=40, description="Id of the episode")

    def change(self, draft: Draft) -> str:
        """Take it away."""
        episode = draft.episode(self.episode)
        members = draft.members(self.episode)
        draft.episodes.remove(episode)
        nobody_looks(draft, ids(members), "a layer of this episode")
        draft.document["layers"] = [layer for layer in draft.layers if layer["episode"] != self.episode]
        return "Remove episode"
