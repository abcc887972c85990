"""Commands on layers."""

from __future__ import annotations

import copy
from typing import Any, ClassVar, Literal

from pydantic import Field

from limus.commands.command import Command
from limus.commands.draft import Draft, fresh_id, ids, plain
from limus.common.errors import InputError
from limus.common.fields import Name
from limus.common.wording import one_of
from limus.document.scene import Layer
from limus.document.start import fresh_layer
from limus.effects.catalogue import EFFECTS


class Add(Command):
    """A layer with what its effect does by default on this object, as old as the place it stands in."""

    kind: Literal["add"] = "add"
    title: ClassVar[str] = "Add layer"
    words: ClassVar[tuple[str, ...]] = ("effect",)
    effect: str = Field(max_length=40, description="Kind of effect")
    after: str = Field("", max_length=40, description="Id of the layer that it happens after; empty: after all of them")
    name: Name = Field("", max_length=80, description="What it is called; empty: after its effect")
    fields: dict[str, Any] = Field(default_factory=dict, description="Settings of the effect that differ from its own")

    def change(self, draft: Draft) -> str:
        """Make it."""
        if self.effect not in EFFECTS:
            raise InputError(f"there is no effect '{self.effect}'", where="effect", remedy=one_of(EFFECTS, self.effect))
        k = draft.layers.index(draft.layer(self.after, "after")) + 1 if self.after else len(draft.layers)
        effect = EFFECTS[self.effect]
        same = sum(1 for layer in draft.layers if layer["effect"]["kind"] == self.effect)
        made = fresh_layer(
            self.effect,
            fresh_id(self.effect, ids(draft.layers)),
            draft.size,
            draft.setting,
            draft.base_choices,
            name=self.name or (f"{effect.title} {same + 1}" if same else effect.title),
        )
        layer = plain(made)
        layer["effect"] |= self.fields
        draft.layers.insert(k, layer)
        draft.made["layer"] = layer["id"]
        return f"Add {effect.title.lower()}"


class Remove(Command):
    """Take a layer away; refused while a line elsewhere looks at it."""

    kind: Literal["remove"] = "remove"
    title: ClassVar[str] = "Remove layer"
    words: ClassVar[tuple[str, ...]] = ("layer",)
    layer: str = Field(max_length=40, description="Id of the layer")

    def change(self, draft: Draft) -> str:
        """Take it away."""
        layer = draft.layer(self.layer)
        nobody_looks(draft, {self.layer}, "this layer")
        k = draft.layers.index(layer)
        draft.layers.remove(layer)
        if draft.layers:
            draft.made["instead"] = draft.layers[min(k, len(draft.layers) - 1)]["id"]
        return "Remove layer"


class Move(Command):
    """Let a layer happen earlier or later. Between two of an episode it belongs to it."""

    kind: Literal["move"] = "move"
    title: ClassVar[str] = "Move layer"
    words: ClassVar[tuple[str, ...]] = ("layer", "to")
    layer: str = Field(max_length=40, description="Id of the layer")
    to: int = Field(ge=0, le=199, description="Number of its new place, 0 for the earliest")

    def change(self, draft: Draft) -> str:
        """Move it."""
        layer = draft.layer(self.layer)
        if self.to >= len(draft.layers):
            raise InputError(
                f"there is no place number {self.to}", where="to", remedy=f"The last is number {len(draft.layers) - 1}"
            )
        draft.layers.remove(layer)
        draft.layers.insert(self.to, layer)
        beside = [draft.layers[k]["episode"] for k in (self.to - 1, self.to + 1) if 0 <= k < len(draft.layers)]
        if len(beside) == 2 and beside[0] == beside[1]:
            layer["episode"] = beside[0]
        elif layer["episode"] not in beside:
            # It left, and takes nobody along who stands between it and the others now.
            layer["episode"] = ""
        return "Move layer"


class Order(Command):
    """Put all layers into an order, as after several were dragged as one."""

    kind: Literal["order"] = "order"
    title: ClassVar[str] = "Move layers"
    layers: list[str] = Field(max_length=200, description="Ids of all layers, oldest first")

    def change(self, draft: Draft) -> str:
        """Put them into it."""
        if sorted(self.layers) != sorted(ids(draft.layers)):
            raise InputError(
                "does not name every layer once", where="layers", remedy="Name each layer of the scene once"
            )
        draft.document["layers"] = [draft.layer(name) for name in self.layers]
        return "Move layer"


class Duplicate(Command):
    """A layer once more, right after it."""

    kind: Literal["duplicate"] = "duplicate"
    title: ClassVar[str] = "Duplicate layer"
    words: ClassVar[tuple[str, ...]] = ("layer",)
    layer: str = Field(max_length=40, description="Id of the layer")

    def change(self, draft: Draft) -> str:
        """Make its twin."""
        layer = draft.layer(self.layer)
        twin = copy.deepcopy(layer)
        twin["id"] = fresh_id(twin["effect"]["kind"], ids(draft.layers))
        twin["name"] = f"{twin['name']} copy"[:80]
        draft.layers.insert(draft.layers.index(layer) + 1, twin)
        draft.made["layer"] = twin["id"]
        return "Duplicate layer"


class Rename(Command):
    """Another name for a layer; its id stays."""

    kind: Literal["rename"] = "rename"
    title: ClassVar[str] = "Rename layer"
    words: ClassVar[tuple[str, ...]] = ("layer", "name")
    layer: str = Field(max_length=40, description="Id of the layer")
    name: Name = Field(min_length=1, max_length=80, description="Its new name")

    def change(self, draft: Draft) -> str:
        """Rename it."""
        draft.layer(self.layer)["name"] = self.name
        return "Rename layer"


class Reset(Command):
    """The effect of a layer as a new one would have it here; its place and its channels stay."""

    kind: Literal["reset"] = "reset"
    title: ClassVar[str] = "Return to defaults"
    words: ClassVar[tuple[str, ...]] = ("layer",)
    layer: str = Field(max_length=40, description="Id of the layer")

    def change(self, draft: Draft) -> str:
        """Set it back."""
        layer = draft.layer(self.layer)
        made = fresh_layer(
            layer["effect"]["kind"], layer["id"], draft.size, draft.setting, draft.base_choices, name=layer["name"]
        )
        layer["effect"] = plain(Layer.model_validate(made))["effect"]
        return "Return to defaults"


def nobody_looks(draft: Draft, layers: set[str], what: str) -> None:
    """Refuse to take layers away that a line of another layer, an episode or a base looks at: it would look at nothing.

    Raises
    ------
    InputError : with the names of those that do.
    """
    users = draft.looking_at(layers)
    if users:
        raise InputError(
            f"{', '.join(users)} {'has' if len(users) == 1 else 'have'} a line that looks at {what}",
            where="layer",
            remedy="Change that line first, then remove the layer",
        )
