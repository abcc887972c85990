"""Treatments on the shelf: those of the program, and what people saved or brought in themselves."""

from __future__ import annotations

from django.contrib.auth.models import AbstractBaseUser
from pydantic import ValidationError

from limus.common.errors import InputError
from limus.common.refusal import first_refusal
from limus.document.treatment import Treatment
from limus.document.treatments import shipped
from server.projects.models import OwnTreatment

#: Most treatments that one person may keep.
MOST_OWN = 300


def named(owner: AbstractBaseUser, name: str) -> Treatment:
    """A treatment by what it is asked for by: the key of a shipped one, or "own:" and a number.

    Raises
    ------
    InputError : there is none of that name, or it is from a later version of the program.
    """
    if not name.startswith("own:"):
        found = shipped().get(name)
        if found is None:
            raise InputError(f"there is no treatment '{name[:60]}'", where="name", remedy="Choose another")
        return found
    try:
        return Treatment.model_validate(own(owner, name).document)
    except ValidationError as error:
        problem = first_refusal(error).problem
        raise InputError(
            f"it cannot be read any more: {problem}", where=name, remedy="Remove it and save it again"
        ) from error


def own(owner: AbstractBaseUser, name: str) -> OwnTreatment:
    """The row of a treatment of one's own.

    Raises
    ------
    InputError : there is none.
    """
    number = name.removeprefix("own:")
    row = OwnTreatment.objects.filter(
        owner_id=owner.pk, pk=int(number) if number.isdigit() and len(number) < 12 else 0
    ).first()
    if row is None:
        raise InputError(f"there is no treatment '{name[:60]}'", where="name", remedy="Choose another")
    return row


def keep(owner: AbstractBaseUser, treatment: Treatment) -> OwnTreatment:
    """Keep one; a name that is taken gets a number.

    Raises
    ------
    InputError : too many.
    """
    mine = OwnTreatment.objects.filter(owner_id=owner.pk)
    if mine.count() >= MOST_OWN:
        raise InputError(
            f"{MOST_OWN} treatments of your own are all there is room for",
            where="treatments",
            remedy="Remove some first",
        )
    name, k = treatment.name, 2
    while mine.filter(name=name).exists():
        name, k = f"{treatment.name[:74]} {k}", k + 1
    document = treatment.model_copy(update={"name": name}).model_dump(mode="json")
    return OwnTreatment.objects.create(owner_id=owner.pk, name=name, document=document)
