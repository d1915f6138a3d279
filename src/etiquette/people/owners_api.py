"""What only an owner does: accounts, tokens, and the trail of what was done."""

from datetime import UTC, datetime
from typing import Annotated

from fastapi import APIRouter, Query, Response
from fastapi.responses import StreamingResponse
from pydantic import AwareDatetime

from etiquette.people import accounts, audit, owning, tokens
from etiquette.people.rights import Right
from etiquette.people.schemas import (
    AccountAsked,
    AccountChanges,
    AccountShown,
    LinkMade,
    TokenAsked,
    TokenMade,
    TokenShown,
    TrailShown,
)
from etiquette.server.dependencies import ShopHere, needs, within

router = APIRouter(prefix="/api/people", tags=["people"], dependencies=[needs(Right.OWN, see=Right.OWN)])

Words = Annotated[str, Query(max_length=120)]
Skip = Annotated[int, Query(ge=0, le=10_000_000)]


@router.get("/accounts")
def list_accounts(shop: ShopHere) -> list[AccountShown]:
    return within(shop, owning.accounts_shown)


@router.post("/accounts")
def add_account(shop: ShopHere, asked: AccountAsked) -> LinkMade:
    """A link for whoever is to have the account: there the person chooses a password, which nobody else knows."""
    return within(shop, lambda session: owning.invited(session, asked.name, asked.role))


@router.patch("/accounts/{account_id}")
def change_account(shop: ShopHere, account_id: int, asked: AccountChanges) -> list[AccountShown]:
    within(shop, lambda session: owning.change(session, account_id, asked))
    return list_accounts(shop)


@router.post("/accounts/{account_id}/link")
def make_link(shop: ShopHere, account_id: int) -> LinkMade:
    """For who has forgotten the password, or lost the first link."""
    return within(shop, lambda session: owning.link_again(session, account_id))


@router.post("/accounts/{account_id}/sign-out")
def sign_out_account(shop: ShopHere, account_id: int) -> list[AccountShown]:
    """Everywhere."""
    within(shop, lambda session: accounts.sign_out_everywhere(session, account_id))
    return list_accounts(shop)


@router.get("/tokens")
def list_tokens(shop: ShopHere) -> list[TokenShown]:
    return within(shop, owning.tokens_shown)


@router.post("/tokens")
def add_token(shop: ShopHere, asked: TokenAsked) -> TokenMade:
    return within(shop, lambda session: owning.new_token(session, asked))


@router.delete("/tokens/{token_id}")
def end_token(shop: ShopHere, token_id: int) -> list[TokenShown]:
    within(shop, lambda session: tokens.end(session, token_id))
    return list_tokens(shop)


@router.get("/trail")
def show_trail(
    shop: ShopHere,
    who: Words = "",
    text: Words = "",
    since: AwareDatetime | None = None,
    before: AwareDatetime | None = None,
    skip: Skip = 0,
) -> TrailShown:
    """What was done, the newest first."""
    wanted = _wanted(who, text, since, before)
    return within(shop, lambda session: owning.trail_shown(session, wanted, skip))


@router.get("/trail.csv", response_class=Response)
def save_trail(
    shop: ShopHere,
    who: Words = "",
    text: Words = "",
    since: AwareDatetime | None = None,
    before: AwareDatetime | None = None,
) -> StreamingResponse:
    wanted = _wanted(who, text, since, before)
    found = within(shop, lambda session: audit.entries(session, wanted, 0, audit.MOST_SAVED))
    return StreamingResponse(
        audit.as_csv(found),
        media_type="text/csv; charset=utf-8",
        headers={"Content-Disposition": 'attachment; filename="what was done.csv"'},
    )


def _wanted(who: str, text: str, since: datetime | None, before: datetime | None) -> audit.Wanted:
    def plain(at: datetime | None) -> datetime | None:
        return at.astimezone(UTC).replace(tzinfo=None) if at else None

    return audit.Wanted(who, text, plain(since), plain(before))
