"""Commands on what stands around the object."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import BaseModel, ConfigDict, Field

from limus.commands.command import Command
from limus.commands.draft import Draft, fresh_id, ids, numbered_id, plain
from limus.common.errors import InputError
from limus.common.fields import FileName, Name
from limus.common.wording import one_of
from limus.document.start import fresh_layer
from limus.intake.object_file import Far, Neighbour, ObjectFile
from limus.masks.recipe import Recipe, term
from limus.masks.sources.proximity import ProximitySource
from limus.surface.axes import Up

Share = Annotated[float, Field(ge=0.0, le=1.0)]
#: Of a marking that says no colour: fresh road paint (common practice, no source).
WHITE = (0.72, 0.72, 0.68)


class AddNeighbour(Command):
    """Let another object stand nearby, or mark areas."""

    kind: Literal["add-neighbour"] = "add-neighbour"
    title: ClassVar[str] = "Add neighbour"
    words: ClassVar[tuple[str, ...]] = ("file", "name")
    file: FileName = Field(min_length=1, max_length=500, description="Its file, relative to the scene document")
    name: Name = Field(min_length=1, max_length=120, description="What it is called")
    position_mm: tuple[Far, Far, Far] = Field((0.0, 0.0, 0.0), description="x, y (up), z of its origin")
    scale: float = Field(1.0, ge=1e-6, le=1e6, description="Metres per unit of its file")
    up: Up = Field("+y", description="Which axis of its file points up")
    role: Literal["stands", "marker"] = Field(
        "stands", description="'stands' hides sky, sun and rain; a 'marker' only says where"
    )

    def put(self, beside: ObjectFile) -> str:
        """Put it beside this object, and say what was done."""
        made = Neighbour(
            id=numbered_id("neighbour", {n.id for n in beside.neighbours}),
            name=self.name,
            file=self.file,
            position_mm=self.position_mm,
            scale=self.scale,
            up=self.up,
            role=self.role,
        )
        beside.neighbours = [*beside.neighbours, made]
        return f"{'Marker' if self.role == 'marker' else 'Neighbour'} {self.name}"

    def change(self, draft: Draft) -> str:
        """Put it there."""
        beside = ObjectFile.model_validate(draft.document["object"])
        label = self.put(beside)
        made = beside.neighbours[-1]
        draft.document["object"]["neighbours"].append(made.model_dump(mode="json"))
        draft.made["neighbour"] = made.id
        return label


class Marking(BaseModel):
    """One colour of what is laid on a marker, and the pieces that have it."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    color: tuple[Share, Share, Share] = Field(description="Linear")
    which: list[Name] = Field(min_length=1, max_length=512, description="The marker, or pieces of it: id/piece")


class LayMarkings(Command):
    """Paint in each colour on the pieces of a marker that have it, as road markings are laid."""

    kind: Literal["lay-markings"] = "lay-markings"
    title: ClassVar[str] = "Lay markings"
    words: ClassVar[tuple[str, ...]] = ("neighbour",)
    neighbour: str = Field(max_length=40, description="Id of the marker")
    markings: list[Marking] = Field(default_factory=list, max_length=40, description="None: one white, on all of it")

    def change(self, draft: Draft) -> str:
        """Lay them."""
        marker = next((n for n in draft.document["object"]["neighbours"] if n["id"] == self.neighbour), None)
        if marker is None:
            raise InputError(
                f"there is no neighbour '{self.neighbour}'",
                where="neighbour",
                remedy=one_of(sorted(ids(draft.document["object"]["neighbours"])), self.neighbour),
            )
        for marking in self.markings or [Marking(color=WHITE, which=[self.neighbour])]:
            made = fresh_layer(
                "paint", fresh_id("paint", ids(draft.layers)), draft.size, draft.setting, draft.base_choices,
                name=(marking.which[0].split("/")[-1] if "/" in marking.which[0] else marker["name"])[:80],
            )  # fmt: skip
            layer = plain(made)
            # A thick film without a primer (common practice, no source).
            layer["effect"] |= {"color": list(marking.color), "primer": False, "thickness_um": 400.0, "roughness": 0.55}
            source = ProximitySource.model_validate(
                {**draft.size.fields(ProximitySource), "to": "neighbours", "which": marking.which, "side": "on",
                    "fade_cm": 0.0}
            )  # fmt: skip
            layer["where"] = Recipe(terms=[term(source)]).model_dump(mode="json")
            draft.layers.append(layer)
            draft.made["layer"] = layer["id"]
        return f"Markings of {marker['name']}"


class RemoveNeighbour(Command):
    """Take a neighbour away."""

    kind: Literal["remove-neighbour"] = "remove-neighbour"
    title: ClassVar[str] = "Remove neighbour"
    words: ClassVar[tuple[str, ...]] = ("neighbour",)
    neighbour: str = Field(max_length=40, description="Id of the neighbour")

    def change(self, draft: Draft) -> str:
        """Take it away."""
        around = draft.document["object"]["neighbours"]
        kept = [one for one in around if one["id"] != self.neighbour]
        if len(kept) == len(around):
            raise InputError(
                f"there is no neighbour '{self.neighbour}'",
                where="neighbour",
                remedy=one_of(sorted(ids(around)), self.neighbour),
            )
        draft.document["object"]["neighbours"] = kept
        return "Remove neighbour"
