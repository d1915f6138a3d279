"""What becomes of the colours of a design on its plate, in the order in which it is done: some are replaced, all of the
design and all of the run are corrected, and what is RGB then is converted."""

from collections.abc import Sequence

from etiquette.core.printing.converted import Converted
from etiquette.core.printing.corrected import Corrected
from etiquette.core.printing.corrections import Correction, Replaced
from etiquette.core.printing.recolouring import Change
from etiquette.core.printing.replaced import Replacing


def changes_of(
    replaced: Sequence[Replaced], corrections: Sequence[Correction], converted: Converted | None
) -> tuple[Change, ...]:
    """Empty when nothing is asked."""
    return (
        *((Replacing(replaced),) if replaced else ()),
        *(Corrected(one) for one in corrections if one),
        *((converted,) if converted else ()),
    )
