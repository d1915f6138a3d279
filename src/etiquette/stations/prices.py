"""What an hour costs this shop, how long setting up takes, what it wants to earn: one row, the shop's own."""

from sqlalchemy.orm import Session

from etiquette.core.costing.quotes import ShopPrices
from etiquette.stations.edits import Stale
from etiquette.store.models import ShopPrice

ONLY = 1
FIELDS = tuple(ShopPrices.__dataclass_fields__)


def prices_row(session: Session) -> ShopPrice:
    """Locked; made when it is asked for first."""
    row = session.get(ShopPrice, ONLY, with_for_update=True)
    if row is None:
        row = ShopPrice(id=ONLY)
        session.add(row)
        session.flush()
    return row


def prices_of(session: Session) -> ShopPrices:
    row = session.get(ShopPrice, ONLY)
    return ShopPrices(**{name: getattr(row, name) for name in FIELDS}) if row is not None else ShopPrices()


def change(session: Session, version: int, values: ShopPrices) -> None:
    """Raises Stale."""
    row = prices_row(session)
    if row.version != version:
        raise Stale("prices", ONLY, row.version)
    for name in FIELDS:
        setattr(row, name, getattr(values, name))
