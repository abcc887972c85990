"""Tokens: by which programs of somebody's use this API."""

from __future__ import annotations

import hashlib
import secrets
from datetime import datetime, timedelta
from typing import Any, Literal

from django.http import HttpRequest
from django.shortcuts import get_object_or_404
from django.utils import timezone
from ninja import Router
from ninja.errors import HttpError
from ninja.security.http import HttpAuthBase
from pydantic import BaseModel, ConfigDict, Field

from limus.common.errors import InputError
from server.api.answers import Problem, owner_of
from server.projects.models import ApiToken

router = Router()
#: So that one is known for what it is wherever it turns up.
PREFIX = "limus_"
MOST, LONGEST_DAYS = 20, 365
#: Methods that change nothing.
READING = ("GET", "HEAD", "OPTIONS")
#: When one was used is noted as exactly as this.
NOTED = timedelta(minutes=1)


def digest_of(token: str) -> str:
    """What is kept of it; it is too long to be guessed, so it needs no slow hash."""
    return hashlib.sha256(token.encode()).hexdigest()


class ByToken(HttpAuthBase):
    """``Authorization: Bearer limus_...``; a request without one is signed in by its session."""

    openapi_scheme = "bearer"

    def __call__(self, request: HttpRequest) -> Any:
        """The user, or None where no token came.

        Raises
        ------
        HttpError : 401 for a token that is none any more, 403 for what it may not.
        """
        kind, _, token = request.headers.get("Authorization", "").partition(" ")
        if kind.lower() != "bearer":
            return None
        found = ApiToken.objects.select_related("owner").filter(digest=digest_of(token.strip())).first()
        now = timezone.now()
        if found is None or found.expires <= now or not found.owner.is_active:
            raise HttpError(401, "This token is not known, or its time is over. Make another one.")
        if found.rights == ApiToken.READ and request.method not in READING:
            raise HttpError(403, "This token may only read. Make one that may change things.")
        if found.used is None or now - found.used > NOTED:
            ApiToken.objects.filter(pk=found.pk).update(used=now)
        request.user = found.owner
        request.by_token = True  # type: ignore[attr-defined]
        return found.owner


class TokenIn(BaseModel):
    """A token to make."""

    model_config = ConfigDict(extra="forbid")
    name: str = Field(min_length=1, max_length=80, description="What it is for")
    rights: Literal["read", "write"] = "read"
    days: int = Field(90, ge=1, le=LONGEST_DAYS, description="Days until it ends")


class TokenOut(BaseModel):
    """A token, but for itself."""

    id: int
    name: str
    rights: Literal["read", "write"]
    expires: datetime
    used: datetime | None
    over: bool


class FreshToken(TokenOut):
    """One that was just made: shown once, and kept nowhere."""

    token: str


def _facts(row: ApiToken) -> dict[str, Any]:
    return {
        "id": row.pk, "name": row.name, "rights": row.rights, "expires": row.expires, "used": row.used,
        "over": row.expires <= timezone.now(),
    }  # fmt: skip


def _by_hand(request: HttpRequest) -> None:
    """A token makes and removes none: who has it for a day would have it for good."""
    if getattr(request, "by_token", False):
        raise HttpError(403, "Tokens are made and removed in the interface, by whoever is signed in.")


@router.get("/tokens", response=list[TokenOut])
def tokens(request: HttpRequest) -> list[TokenOut]:
    """One's own, by name."""
    return [TokenOut(**_facts(row)) for row in ApiToken.objects.filter(owner_id=owner_of(request).pk)]


@router.post("/tokens", response={201: FreshToken, 422: Problem})
def new_token(request: HttpRequest, body: TokenIn) -> tuple[int, FreshToken]:
    """Make one; it is shown this once."""
    _by_hand(request)
    owner = owner_of(request)
    name = " ".join(body.name.split())
    if not name:
        raise InputError("a token needs a name", where="name", remedy="Say what it is for")
    if ApiToken.objects.filter(owner_id=owner.pk).count() >= MOST:
        raise InputError(f"there are {MOST} tokens already", where="tokens", remedy="Remove one that is not used")
    token = PREFIX + secrets.token_urlsafe(32)
    row = ApiToken.objects.create(
        owner_id=owner.pk, name=name, digest=digest_of(token), rights=body.rights,
        expires=timezone.now() + timedelta(days=body.days),
    )  # fmt: skip
    return 201, FreshToken(token=token, **_facts(row))


@router.delete("/tokens/{int:token_id}", response={204: None})
def remove_token(request: HttpRequest, token_id: int) -> tuple[int, None]:
    """It ends at once."""
    _by_hand(request)
    get_object_or_404(ApiToken, pk=token_id, owner=owner_of(request)).delete()
    return 204, None
