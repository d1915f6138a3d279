"""The tasks of the Floor."""

from etiquette.stations.floor.job_schemas import ProofMade
from etiquette.stations.schemas import OfJob
from etiquette.stations.shop import Shop
from etiquette.tasks.task import Outcome, Report, task


@task("make proof")
def make_proof(shop: Shop, wanted: OfJob, report: Report) -> Outcome[ProofMade]:
    from etiquette.stations.floor import proofs

    return proofs.make(shop, wanted, report)
