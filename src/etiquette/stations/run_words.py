"""What the slug of a run can say."""

from sqlalchemy import select
from sqlalchemy.orm import object_session

from etiquette.files.documents.runs import RunDocument
from etiquette.stations.clock import Clock, clock_of
from etiquette.stations.designs import DesignState
from etiquette.stations.kits import Kit
from etiquette.store.models import Edit, Run


def slug_fields(run: Run, document: RunDocument, kit: Kit, designs: dict[int, DesignState]) -> dict[str, str]:
    session = object_session(run)
    day = (clock_of(session) if session else Clock()).day(run.created_at)
    jobs = {state.design.job.id: state.design.job for state in designs.values()}
    customers = sorted({job.customer for job in jobs.values() if job.customer})
    return {
        "run": document.name,
        "customer": ", ".join(customers),
        "job": ", ".join(sorted({job.name for job in jobs.values()})),
        "date": f"{day:%Y-%m-%d}",
        "stock": kit.stock.name,
        "operator": last_hand(run) if "{operator}" in (document.slug or "") else "",
    }


def last_hand(run: Run) -> str:
    """Who changed the run last: the same for everybody who looks, until it is changed again."""
    session = object_session(run)
    if session is None:
        return ""
    asked = select(Edit.who).where(Edit.subject == "run", Edit.subject_id == run.id).order_by(Edit.id.desc()).limit(1)
    return session.scalars(asked).first() or ""
