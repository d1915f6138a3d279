"""What is shown of quotes and of what was spent; the quote as a paper."""

from collections.abc import Iterable
from decimal import Decimal
from html import escape
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.costing.quotes import Quote
from etiquette.stations.floor.money_schemas import PartShown, PricesShown, QuoteShown, QuotesShown, SpentShown
from etiquette.stations.floor.papers import page_of, table_of
from etiquette.stations.floor.quoting import JobQuote
from etiquette.stations.floor.spent import Spent
from etiquette.stations.prices import FIELDS, prices_row
from etiquette.store.models import Stock


def prices_shown(session: Session) -> PricesShown:
    row = prices_row(session)
    values = {name: getattr(row, name) for name in FIELDS}
    currency = session.scalar(select(Stock.currency).order_by(Stock.id).limit(1))
    return PricesShown(version=row.version, currency=currency or "EUR", **values)


def quotes_shown(made: JobQuote) -> QuotesShown:
    quotes = [_shown(one, times) for one, times in zip(made.quotes, made.times, strict=True)]
    return QuotesShown(
        currency=made.currency, stock=made.stock, by_run=made.by_run, lacks=list(made.lacks), quotes=quotes
    )


def spent_shown(made: Spent) -> SpentShown:
    quote = _shown(made.quote, 1.0) if made.quote else None
    return SpentShown(prints=made.prints, metres=round(made.metres, 3), currency=made.currency, quote=quote)


def _shown(quote: Quote, times: float) -> QuoteShown:
    parts = [PartShown(words=one.words, amount=one.amount, minutes=one.minutes) for one in quote.parts]
    return QuoteShown(
        times=times, pieces=quote.pieces, parts=parts, cost=quote.cost, price=quote.price, each=quote.each
    )


def quote_rows(made: JobQuote) -> Iterable[list[Any]]:
    """A table for another program: a line for each part of the cost, a column for each count."""
    yield ["", *(f"{one.pieces} pieces" for one in made.quotes)]
    for words, amounts in _lines(made):
        yield [words, *amounts]
    for words, of in (("Cost", "cost"), ("Price", "price"), ("Each piece", "each")):
        yield [f"{words} ({made.currency})", *(str(getattr(one, of)) for one in made.quotes)]


def _lines(made: JobQuote) -> Iterable[tuple[str, list[str]]]:
    names = dict.fromkeys(part.words for one in made.quotes for part in one.parts)
    for name in names:
        held = [{part.words: part.amount for part in one.parts} for one in made.quotes]
        yield name, [str(one.get(name, Decimal("0.00"))) for one in held]


def quote_page(session: Session, made: JobQuote) -> str:
    """What the customer is told: prices for each count, never what it costs the shop."""
    job = made.job
    rows = [
        (f"{one.pieces}", f"{one.each} {escape(made.currency)}", f"<b>{one.price} {escape(made.currency)}</b>")
        for one in made.quotes
    ]
    designs = [
        (f'<img src="/api/designs/{design.id}/thumb" alt="">', escape(design.name or ""), f"{design.due_count or 0}")
        for design in job.designs
    ]
    body = f"""
<header><div><h1>{escape(job.name)}</h1><p>for {escape(job.customer)} · on {escape(made.stock)}</p></div></header>
{table_of(("", "Design", "Pieces"), designs)}
{table_of(("Pieces", "Each", "Price"), rows)}"""
    return page_of(session, job, "Quote", body)
