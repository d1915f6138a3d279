"""Jobs, and finding anything."""

from typing import Annotated

from fastapi import APIRouter, File, Query, UploadFile
from fastapi.responses import FileResponse
from sqlalchemy.orm import Session

from etiquette.people.rights import Right
from etiquette.server.dependencies import ShopHere, TaskSubmitter, needs, within
from etiquette.stations.floor import handing_over, job_files, jobs, proofs, tasks
from etiquette.stations.floor.finding import find
from etiquette.stations.floor.job_schemas import (
    DesignMove,
    Found,
    HandoverAsked,
    ItemShown,
    JobAdd,
    JobEdit,
    JobShown,
    JobsShown,
    PartsShown,
    ProofAnswer,
)
from etiquette.stations.floor.job_views import job_shown, jobs_shown, parts_shown, wanted_of
from etiquette.stations.schemas import OfJob, TaskMade

router = APIRouter(prefix="/api", tags=["jobs"], dependencies=[needs(Right.PREPARE)])


@router.get("/find")
def find_anything(shop: ShopHere, text: Annotated[str, Query(max_length=120)]) -> list[Found]:
    """What has all words of the text in its name, or the frame of a code that was typed or scanned."""
    return within(shop, lambda session: find(session, text))


@router.get("/jobs")
def list_jobs(
    shop: ShopHere,
    text: Annotated[str, Query(max_length=120)] = "",
    month: Annotated[str | None, Query(pattern=r"^2\d{3}-(0[1-9]|1[0-2])$")] = None,
    skip: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
) -> JobsShown:
    """Jobs by name or customer, and by the month they are due in; the soonest first, then the past."""
    return within(shop, lambda session: jobs_shown(session, text, month, skip))


@router.post("/jobs")
def add_job(shop: ShopHere, asked: JobAdd) -> JobShown:
    return within(shop, lambda session: job_shown(session, jobs.add(session, asked.name, asked.customer, asked.due)))


@router.get("/jobs/{job_id}")
def show_job(shop: ShopHere, job_id: int) -> JobShown:
    return within(shop, lambda session: job_shown(session, job_id))


@router.get("/jobs/{job_id}/parts")
def list_parts(
    shop: ShopHere,
    job_id: int,
    text: Annotated[str, Query(max_length=120)] = "",
    skip: Annotated[int, Query(ge=0, le=1_000_000)] = 0,
) -> PartsShown:
    """Designs of a job by their names, a page at a time."""
    return within(shop, lambda session: parts_shown(session, job_id, text, skip))


@router.get("/jobs/{job_id}/wanted")
def what_is_wanted(shop: ShopHere, job_id: int) -> list[ItemShown]:
    """Pieces for the next run of a job."""
    return within(shop, lambda session: wanted_of(session, job_id))


@router.patch("/jobs/{job_id}")
def change_job(shop: ShopHere, job_id: int, asked: JobEdit) -> JobShown:
    changes = asked.changes.model_dump(exclude_unset=True)
    within(shop, lambda session: jobs.change(session, job_id, asked.version, changes))
    return within(shop, lambda session: job_shown(session, job_id))


@router.post("/jobs/{job_id}/designs")
def move_design_here(shop: ShopHere, job_id: int, asked: DesignMove) -> JobShown:
    """A design of another job becomes one of this."""
    within(shop, lambda session: jobs.move_here(session, job_id, asked.design_id))
    return within(shop, lambda session: job_shown(session, job_id))


@router.post("/jobs/{job_id}/files")
def keep_files(shop: ShopHere, job_id: int, file: Annotated[list[UploadFile], File(max_length=60)]) -> JobShown:
    """Files that belong to the job; they are kept and never opened."""
    most = job_files.MOST_BYTES + 1
    held = [((one.filename or "file")[-200:].encode(errors="replace").decode(), one.file.read(most)) for one in file]
    within(shop, lambda session: job_files.keep(shop, session, job_id, held))
    return within(shop, lambda session: job_shown(session, job_id))


@router.get("/jobs/{job_id}/files/{file_id}", response_class=FileResponse)
def give_file(shop: ShopHere, job_id: int, file_id: int) -> FileResponse:
    """As it came, to be saved: never shown as a page of Etiquette's."""
    held = within(shop, lambda session: job_files.file_there(session, job_id, file_id))
    return FileResponse(shop.blobs.path(held.content_sha), media_type=job_files.KEPT_AS, filename=held.name)


@router.delete("/jobs/{job_id}/files/{file_id}")
def take_file_away(shop: ShopHere, job_id: int, file_id: int) -> JobShown:
    within(shop, lambda session: session.delete(job_files.file_there(session, job_id, file_id)))
    return within(shop, lambda session: job_shown(session, job_id))


@router.post("/jobs/{job_id}/handovers")
def hand_over(shop: ShopHere, job_id: int, asked: HandoverAsked) -> JobShown:
    """Good pieces leave the shop, all that are due or a part of them."""
    within(shop, lambda session: handing_over.hand_over(session, job_id, asked.version, asked.counts, asked.note))
    return within(shop, lambda session: job_shown(session, job_id))


@router.delete("/jobs/{job_id}/handovers/{handover_id}")
def take_handover_back(shop: ShopHere, job_id: int, handover_id: int) -> JobShown:
    """A slip that was a mistake, or pieces that came back."""
    within(shop, lambda session: handing_over.take_back(session, job_id, handover_id))
    return within(shop, lambda session: job_shown(session, job_id))


@router.post("/jobs/{job_id}/proofs")
def make_proof(shop: ShopHere, job_id: int, submit: TaskSubmitter) -> TaskMade:
    """A proof of the job as it is now, for its customer."""
    within(shop, lambda session: jobs.job_there(session, job_id))
    return TaskMade(task_id=submit(tasks.make_proof, OfJob(job_id=job_id)))


@router.get("/jobs/{job_id}/proofs/{number}", response_class=FileResponse)
def show_proof(shop: ShopHere, job_id: int, number: int) -> FileResponse:
    """The PDF as it was made."""
    sha = within(shop, lambda session: proofs.proof_there(session, job_id, number).pdf_sha)
    return FileResponse(
        shop.blobs.path(sha), media_type="application/pdf", filename=f"proof-{job_id}-{number}.pdf",
        content_disposition_type="inline",
    )  # fmt: skip


@router.post("/jobs/{job_id}/proofs/{number}/answer")
def answer_proof(shop: ShopHere, job_id: int, number: int, asked: ProofAnswer) -> JobShown:
    """What the customer said to it."""

    def said(session: Session) -> None:
        proofs.answer(session, job_id, number, asked.version, asked.says, asked.by, asked.note)

    within(shop, said)
    return within(shop, lambda session: job_shown(session, job_id))
