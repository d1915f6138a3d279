"""Money and records: prices, quotes before, what was spent after, what was printed and cut."""

from collections.abc import Iterable, Sequence
from typing import Annotated, Any, Literal

from fastapi import APIRouter, Query
from fastapi.responses import Response
from pydantic import Field
from sqlalchemy.orm import Session

from etiquette.people.rights import Right
from etiquette.sandbox.papers import pdf_of
from etiquette.server.dependencies import ShopHere, needs, within
from etiquette.stations import prices
from etiquette.stations.csv_tables import csv_of
from etiquette.stations.floor import paper_pdf, papers, quoting, records
from etiquette.stations.floor.money_schemas import (
    MonthUsed,
    PricesAsked,
    PricesShown,
    QuotesShown,
    RecordsShown,
    SpentShown,
)
from etiquette.stations.floor.money_views import prices_shown, quote_page, quote_rows, quotes_shown, spent_shown
from etiquette.stations.floor.spent import spent

router = APIRouter(prefix="/api", tags=["money"], dependencies=[needs(Right.PREPARE, see=Right.BOOKS)])

Times = Annotated[list[Annotated[float, Field(gt=0, le=1000)]], Query(min_length=1, max_length=6)]
Text = Annotated[str, Query(max_length=120)]
Month = Annotated[str | None, Query(pattern=r"^2\d{3}-(0[1-9]|1[0-2])$")]
Skip = Annotated[int, Query(ge=0, le=1_000_000)]
Form = Annotated[Literal["page", "pdf"], Query(alias="as")]
MOST_ROWS = 50_000


@router.get("/prices")
def show_prices(shop: ShopHere) -> PricesShown:
    return within(shop, prices_shown)


@router.put("/prices", dependencies=[needs(Right.KEEP)])
def set_prices(shop: ShopHere, asked: PricesAsked) -> PricesShown:
    """What an hour costs the shop, how long setting up takes, the margin."""
    within(shop, lambda session: prices.change(session, asked.version, asked.to_prices()))
    return show_prices(shop)


@router.get("/jobs/{job_id}/quotes")
def show_quotes(shop: ShopHere, job_id: int, times: Times = [1.0, 2.0, 5.0]) -> QuotesShown:  # noqa: B006
    """What the job will cost, for several multiples of what is due."""
    return within(shop, lambda session: quotes_shown(quoting.quote_job(shop, session, job_id, times)))


@router.get("/jobs/{job_id}/quotes.csv", response_class=Response)
def save_quotes(shop: ShopHere, job_id: int, times: Times = [1.0, 2.0, 5.0]) -> Response:  # noqa: B006
    """The same as a table: a line for each part, a column for each count."""
    rows = within(shop, lambda session: list(quote_rows(quoting.quote_job(shop, session, job_id, times))))
    return _table(rows, f"quote-{job_id}.csv")


@router.get("/jobs/{job_id}/quote", response_class=Response)
def show_quote(shop: ShopHere, job_id: int, form: Form = "page", times: Times = [1.0, 2.0, 5.0]) -> Response:  # noqa: B006
    """What the customer gets: prices for each count, without what it costs the shop."""

    def made(session: Session) -> str:
        return quote_page(session, quoting.quote_job(shop, session, job_id, times))

    return _paper(shop, made, form, f"quote-{job_id}.pdf")


@router.get("/jobs/{job_id}/traveller", response_class=Response)
def show_traveller(shop: ShopHere, job_id: int, form: Form = "page") -> Response:
    """The paper that goes with the material, to be printed."""
    return _paper(shop, lambda session: papers.traveller(session, job_id), form, f"traveller-{job_id}.pdf")


@router.get("/jobs/{job_id}/handovers/{handover_id}/slip", response_class=Response)
def show_slip(shop: ShopHere, job_id: int, handover_id: int, form: Form = "page") -> Response:
    """The paper that goes with what is handed over, to be printed."""
    return _paper(shop, lambda session: papers.slip(session, job_id, handover_id), form, f"slip-{handover_id}.pdf")


@router.get("/jobs/{job_id}/spent")
def show_spent(shop: ShopHere, job_id: int) -> SpentShown:
    """What the job has cost so far: its share of every print of it."""
    return within(shop, lambda session: spent_shown(spent(session, job_id)))


@router.get("/records")
def show_records(shop: ShopHere, text: Text = "", month: Month = None, skip: Skip = 0) -> RecordsShown:
    """What was printed and cut, the newest first."""
    return within(shop, lambda session: records.records(session, text, month, skip))


@router.get("/records.csv", response_class=Response)
def save_records(shop: ShopHere, text: Text = "", month: Month = None) -> Response:
    found = within(shop, lambda session: records.records(session, text, month, 0, MOST_ROWS))
    return _table(records.as_rows(found.records), "records.csv")


@router.get("/records/months")
def show_months(shop: ShopHere) -> list[MonthUsed]:
    """What was used and lost, by month and stock."""
    return within(shop, records.months)


@router.get("/records/months.csv", response_class=Response)
def save_months(shop: ShopHere) -> Response:
    return _table(records.as_rows(show_months(shop)), "months.csv")


def _table(rows: Iterable[Sequence[Any]], name: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(csv_of(rows), media_type="text/csv; charset=utf-8", headers=headers)


def _paper(shop: ShopHere, made: Any, form: Literal["page", "pdf"], name: str) -> Response:
    """A page for the browser, or a PDF."""
    if form == "page":
        return Response(within(shop, made), media_type="text/html; charset=utf-8")
    page = within(shop, lambda session: paper_pdf.with_pictures(shop, session, made(session)))
    headers = {"Content-Disposition": f'inline; filename="{name}"'}
    return Response(pdf_of(page, name), media_type="application/pdf", headers=headers)
