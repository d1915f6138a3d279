"""What the slug of a run can say."""

from etiquette.files.documents.runs import RunDocument
from etiquette.stations.designs import DesignState
from etiquette.stations.kits import Kit
from etiquette.store.models import Run


def slug_fields(run: Run, document: RunDocument, kit: Kit, designs: dict[int, DesignState]) -> dict[str, str]:
    jobs = {state.design.job.id: state.design.job for state in designs.values()}
    customers = sorted({job.customer for job in jobs.values() if job.customer})
    return {
        "run": document.name,
        "customer": ", ".join(customers),
        "job": ", ".join(sorted({job.name for job in jobs.values()})),
        "date": f"{run.created_at:%Y-%m-%d}",
        "stock": kit.stock.name,
    }
