"""A design as it prints: its colours corrected, and as on a stock."""

from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.core.printing.profiles import ProofWish
from etiquette.sandbox.proofing import Changed, picture_seen
from etiquette.stations import designs
from etiquette.stations.shop import Shop
from etiquette.store.models import ColourProfile, PrintMode


@dataclass(frozen=True)
class Asked:
    """What is drawn: outside any transaction."""

    picture: Path
    changed: Changed
    wish: ProofWish | None

    def drawn(self, seen: Literal["plate", "stock", "reach"]) -> bytes:
        """PNG. Raises JobError."""
        wish = self.wish if seen != "plate" else None
        return picture_seen(self.picture, self.changed, wish, tint=seen == "reach")


def asked_for(shop: Shop, session: Session, design_id: int, mode_id: int | None, mark: int | None) -> Asked:
    """`mark`: the places of this replacement, from 0. Raises NotThere, and JobError for a mode without a profile."""
    state = designs.state_of(session, design_id)
    sha = (state.lines.print_picture_sha if state.lines else None) or state.art.picture_sha
    wish = _wish(shop, session, mode_id) if mode_id else None
    marked = state.replaced[mark] if mark is not None and mark < len(state.replaced) else None
    return Asked(shop.blobs.path(sha), Changed(state.replaced, state.document.correction(), marked), wish)


def _wish(shop: Shop, session: Session, mode_id: int) -> ProofWish:
    mode = session.get(PrintMode, mode_id)
    profile = session.get(ColourProfile, mode.colour_profile_id or 0) if mode else None
    if mode is None or profile is None:
        raise JobError(
            "This print mode has no colour profile.", mode.name if mode else "print mode", "Choose one on the Shelf."
        )
    content = shop.blobs.read(profile.content_sha)
    return ProofWish(content, profile.space, mode.intent, mode.black_point)  # type: ignore[arg-type]
