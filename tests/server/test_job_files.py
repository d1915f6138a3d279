"""A job saved as JOB.zip and taken in elsewhere: the same print files; and files that are none, or mean harm."""

import io
import json
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path
from typing import Any

import httpx
import pytest
from PIL import Image
from sqlalchemy import func, select

from etiquette.core.errors import JobError
from etiquette.demo.art import art_file
from etiquette.demo.ink_profile import profile
from etiquette.intake import job_saving, job_taking
from etiquette.intake.schemas import SavedJob
from etiquette.stations import line_finding, run_edits, whole
from etiquette.stations.floor.job_files import files_of as files_kept
from etiquette.stations.floor.job_files import keep
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shelf import profiles
from etiquette.stations.shop import Shop
from etiquette.store.blobs import Blobs
from etiquette.store.models import (
    Base,
    ColourProfile,
    Cutter,
    Design,
    Frame,
    InkColour,
    Job,
    Laminator,
    MarkSet,
    Plate,
    Printer,
    PrintMode,
    Roll,
    Run,
    Stock,
)
from etiquette.tasks.work import Worker
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, emptied, fill_shelf, take_in_job
from tests.vector_art import label_pdf


def files_of(shop: Shop, run: int) -> list[bytes]:
    """The print files and lines of a run, made now."""
    shas = []
    for plate in do(shop, plating.make_plates, run_id=run)["plate_ids"]:
        held = shop.database.within(lambda session, plate=plate: session.get_one(Plate, plate))
        shas += [held.pdf_sha, held.white_sha, held.clear_sha, held.lines_sha]
    return [shop.blobs.read(sha) for sha in shas if sha]


def a_job(shop: Shop) -> tuple[int, int]:
    """A job with a vector design whose spot is a colour of the library, a picture that was turned and has its white as
    a file of its own, and a run of both on a stock with a profile; the job and its run."""
    shop.database.within(fill_shelf)

    def more(session: Any) -> None:
        session.add(InkColour(name="Ferry blue", cyan=90, magenta=40, yellow=0, black=10))
        session.get_one(Printer, 1).address = "ipp://192.0.2.7/ipp/print"
        session.get_one(Cutter, 1).address = "tcp://192.0.2.8:9100"

    shop.database.within(more)
    taken = profiles.take(shop, profile("Our inks"), "inks.icc", None)

    def mode(session: Any) -> None:
        values = {"m2_per_hour": 8.0, "ink_ml_m2": 9.0, "drying_minutes": 0.0, "colour_profile_id": taken}
        session.add(PrintMode(name="Fine", stock_id=1, printer_id=1, dpi=600.0, passes=8, two_way=True, **values))

    shop.database.within(mode)
    disc, white = art_file("trueing-disc")[1], io.BytesIO()
    Image.new("L", Image.open(io.BytesIO(disc)).size, 0).save(white, "PNG")
    wanted = {"width_mm": 60.0, "ready": True, "due_count": 3}
    (label,) = taking_in.take_in(shop, label_pdf(), "label.pdf", None, wanted)
    job = shop.database.within(lambda session: session.get_one(Design, label).job_id)
    (target,) = taking_in.take_in(shop, disc, "target.png", job, {**wanted, "offset_mm": -3.0})
    taking_in.set_plate_art(shop, target, "white", white.getvalue(), "target-white.png")
    (turned,) = taking_in.take_in(shop, art_file("spark")[1], "spark.png", job, wanted)
    revision = shop.database.within(lambda session: session.get_one(Design, turned).revision)
    taking_in.arrange_art(shop, turned, revision, taking_in.ArrangeStep(do="turn", by=90))

    def settle(session: Any) -> int:
        session.get_one(Job, job).customer = "Bell foundry"
        spots = session.get_one(Design, label).document.spot_inks
        editing.change(session, label, None, "ink", {"spot_inks": {**spots, "Gold": "ink 1"}, "ready": True})
        for design in (target, turned):
            editing.change(
                session, design, None, "ready", {"ready": True, **({"white": "art"} if design == target else {})}
            )
        items = [{"design_id": design, "count": 3} for design in (turned, label, target)]
        return run_edits.create(session, "All three", items)

    run = shop.database.within(settle)
    for design in (label, target, turned):
        do(shop, line_finding.find_lines, design_id=design)
    do(shop, nesting.nest_run, run_id=run, steps=40)
    return job, run


def saved(shop: Shop, job: int) -> bytes:
    out = io.BytesIO()
    job_saving.save(shop, job, out)
    return out.getvalue()


@pytest.fixture
def elsewhere(shop: Shop, tmp_path: Path) -> Callable[[], Shop]:
    """The same shop, emptied: no row, no file."""

    def made() -> Shop:
        shop.database.within(emptied)
        return replace(shop, blobs=Blobs(tmp_path / "elsewhere"))

    return made


def test_taken_into_an_empty_shop_its_print_files_are_the_same_bytes(shop: Shop, elsewhere: Callable[[], Shop]) -> None:
    job, run = a_job(shop)
    files = files_of(shop, run)
    code = shop.database.within(lambda session: session.scalar(select(Frame.code)))
    packed = saved(shop, job)
    assert saved(shop, job) == packed  # the same job is the same file
    held = zipfile.ZipFile(io.BytesIO(packed))
    prints = [held.read(name) for name in held.namelist() if name.startswith("prints/")]
    assert sorted(prints) == sorted(files) and len(files) >= 3
    assert held.read("SHELF.json").decode().count("192.0.2") == 0  # where machines stand is nobody else's affair

    there = elsewhere()
    taken = take_in_job(there, packed)
    assert any("The roll White 600 A was put on the Shelf" in words for words in taken.told)
    for design in taken.designs:
        do(there, line_finding.find_lines, design_id=design)
    (again,) = there.database.within(lambda session: session.scalars(select(Run.id)).all())
    assert files_of(there, again) == files
    assert there.database.within(lambda session: session.scalar(select(Frame.code))) == code
    made = there.database.within(lambda session: session.get_one(Job, taken.job_id))
    assert (made.customer, made.name) == ("Bell foundry", "Label")
    assert there.database.within(lambda session: session.scalar(select(ColourProfile.name))) is not None


def test_its_files_and_its_film_go_with_it(shop: Shop, elsewhere: Callable[[], Shop]) -> None:
    """Two files of one name, one of them no file of any program; and a laminator that no run of it names."""
    job, _ = a_job(shop)
    contents = [b"%PDF-1.4 not really", bytes(range(256)) * 9]

    def more(session: Any) -> None:
        film = Laminator(name="Cold roller", film_width_mm=700)
        session.add(film)
        session.flush()
        session.get_one(Job, job).laminator_id = film.id
        keep(shop, session, job, [("../order.pdf", contents[0]), ("../order.pdf", contents[1])])

    shop.database.within(more)
    packed, there = saved(shop, job), elsewhere()
    inside = [name for name in zipfile.ZipFile(io.BytesIO(packed)).namelist() if name.startswith("files/")]
    assert len(inside) == 2 and not any(".." in Path(name).parts for name in inside)
    taken = take_in_job(there, packed)
    kept = there.database.within(lambda session: files_kept(session, taken.job_id))
    assert [(one.name, there.blobs.read(one.content_sha)) for one in kept] == [("../order.pdf", c) for c in contents]
    film = there.database.within(lambda session: session.get_one(Job, taken.job_id).laminator_id)
    assert there.database.within(lambda session: session.get_one(Laminator, film).name) == "Cold roller"


def test_where_its_things_are_called_the_same_they_are_used(shop: Shop) -> None:
    """Taken in where it came from: nothing is put on the Shelf twice, and codes that are taken are new ones."""
    job, run = a_job(shop)
    before = counts(shop, Stock, Roll, Printer, Cutter, MarkSet, PrintMode, InkColour)
    taken = take_in_job(shop, saved(shop, job))
    assert counts(shop, Stock, Roll, Printer, Cutter, MarkSet, PrintMode, InkColour) == before
    again = shop.database.within(lambda session: session.scalar(select(func.max(Run.id))))
    assert again != run and any("has a new code" in words for words in taken.told)
    codes = shop.database.within(lambda session: list(session.scalars(select(Frame.code))))
    assert len(set(codes)) == len(codes) == 2
    for design in taken.designs:
        do(shop, line_finding.find_lines, design_id=design)
    assert len(files_of(shop, again)) == len(files_of(shop, run))  # nested as it was: nothing has to be laid again


def test_another_shop_has_settings_and_rolls_of_its_own(shop: Shop, elsewhere: Callable[[], Shop]) -> None:
    job, _ = a_job(shop)
    packed = saved(shop, job)
    there = elsewhere()

    def its_own(session: Any) -> None:
        fill_shelf(session)
        session.get_one(Roll, 1).name = "Roll seven"
        session.get_one(MarkSet, 1).size_mm = 9.0

    there.database.within(its_own)
    taken = take_in_job(there, packed)
    run = there.database.within(lambda session: session.scalars(select(Run)).one())
    assert run.document.roll_id == 1 and run.document.layout is not None and run.document.layout_key is None
    assert any("All three is on another roll here" in words for words in taken.told)
    assert any("All three is to be nested again" in words for words in taken.told)
    assert there.database.within(lambda session: session.get_one(MarkSet, 1).size_mm) == 9.0  # as this shop has it


def test_runs_that_are_shared_with_other_jobs_stay_and_are_named(shop: Shop) -> None:
    job, run = a_job(shop)
    (other,) = taking_in.take_in(shop, art_file("spark")[1], "other.png", None, {"width_mm": 30.0})
    document = shop.database.within(lambda session: session.get_one(Run, run).document)
    items = [*(item.model_dump() for item in document.items), {"design_id": other, "count": 1}]
    shop.database.within(lambda session: run_edits.change(session, run, None, "one more", {"items": items}))
    held = zipfile.ZipFile(io.BytesIO(saved(shop, job)))
    described = json.loads(held.read("JOB.json"))
    assert described["runs"] == [] and described["left_out"] == ["All three has pieces of other jobs too."]
    assert not [name for name in held.namelist() if name.startswith("prints/")]


def counts(shop: Shop, *models: type[Base]) -> list[int]:
    asked = [select(func.count()).select_from(model) for model in models]
    return shop.database.within(lambda session: [session.scalar(one) for one in asked])


def changed(packed: bytes, change: Callable[[dict[str, Any]], None]) -> bytes:
    """The same file with another JOB.json."""
    held, out = zipfile.ZipFile(io.BytesIO(packed)), io.BytesIO()
    described = json.loads(held.read("JOB.json"))
    change(described)
    with zipfile.ZipFile(out, "w") as made:
        for name in held.namelist():
            made.writestr(name, json.dumps(described) if name == "JOB.json" else held.read(name))
    return out.getvalue()


def packed_of(*files: tuple[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as made:
        for name, content in files:
            made.writestr(name, content)
    return out.getvalue()


def spoiled(packed: bytes) -> bytes:
    """One byte of what is packed is another one."""
    at = len(packed) // 2
    return packed[:at] + bytes([packed[at] ^ 0xFF]) + packed[at + 1 :]


def test_what_is_wrong_with_a_file_is_a_sentence_and_nothing_is_kept(shop: Shop) -> None:
    job, _ = a_job(shop)
    packed = saved(shop, job)
    before = counts(shop, *(table for table in (Job, Design, Run, Frame, Stock, Roll)))

    def other_version(file: dict[str, Any]) -> None:
        file["version"] = 2

    def newer_design(file: dict[str, Any]) -> None:
        file["designs"][0]["document"]["version"] = 99

    def no_art(file: dict[str, Any]) -> None:
        file["art"] = file["art"][1:]

    def a_stranger(file: dict[str, Any]) -> None:
        file["runs"][0]["document"]["items"][0]["design_id"] = 4711

    def way_out(file: dict[str, Any]) -> None:
        file["art"][0]["file"] = "art/../../etc/passwd"

    def a_bare_number(file: dict[str, Any]) -> None:
        file["things"]["stock"] = {"1": "Stock that is nowhere"}

    wrong: list[tuple[bytes, str]] = [
        (b"", "damaged, or no JOB.zip"),
        (art_file("spark")[1], "damaged, or no JOB.zip"),
        (packed[: len(packed) // 2], "damaged, or no JOB.zip"),
        (spoiled(packed), "damaged, or no JOB.zip"),
        (packed_of(("readme.txt", b"hello")), "There is no JOB.json"),
        (packed_of(("JOB.json", b"{")), "JOB.json is not as it should be"),
        (packed_of(("JOB.json", b"{}"), ("art/1", b"a"), ("art/1", b"b")), "Two files in it are called art/1"),
        (packed_of(("JOB.json", b"{}"), *((f"art/{n}", bytes(90 << 20)) for n in range(9))), "more than 800 MB"),
        (changed(packed, other_version), "JOB.json is not as it should be at version"),
        (changed(packed, newer_design), "A design of the file cannot be read"),
        (changed(packed, no_art), "The art of a design is not in the file"),
        (changed(packed, a_stranger), "pieces of a design that is not in the file"),
        (changed(packed, way_out), "JOB.json is not as it should be at art.0.file"),
        (changed(packed, a_bare_number), "neither on the Shelf nor in the file"),
    ]
    for content, words in wrong:
        with pytest.raises(JobError, match=words):
            take_in_job(shop, content)
    assert counts(shop, *(table for table in (Job, Design, Run, Frame, Stock, Roll))) == before


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    with signed_in(shop) as made:
        yield made


def sent(shop: Shop, client: httpx.Client, name: str, content: bytes) -> dict[str, Any]:
    """A file that is taken in, and how that ended."""
    task = client.post("/api/jobs/file", files={"file": (name, content)}).raise_for_status().json()["task_id"]
    worker = Worker(shop.database, shop, "computing")
    while worker.run_one():
        pass
    return dict(client.get(f"/api/tasks/{task}").json())


def test_it_is_told_how_far_it_is_and_can_be_stopped(shop: Shop, elsewhere: Callable[[], Shop]) -> None:
    """Once it was one request without a word, however many designs it held; stopped, nothing of it is in the shop."""
    job, _ = a_job(shop)
    for name in ("kite", "bell"):
        taking_in.take_in(shop, art_file(name)[1], f"{name}.png", job, {})
    packed, there = saved(shop, job), elsewhere()
    told: list[tuple[float, str]] = []

    def report(share: float, words: str, _: object = None) -> bool:
        told.append((share, words))
        return not (stops and words == "Reading bell.png")

    stops = True
    wanted = SavedJob(sha=job_taking.kept(there, packed, "JOB.zip"), name="JOB.zip")
    with pytest.raises(JobError, match="nothing of the job was taken in"):
        job_taking.take(there, wanted, report)
    assert counts(there, Job, Design, Stock, Roll) == [0, 0, 0, 0]
    stops = False
    told.clear()
    job_taking.take(there, wanted, report).published(there.database)
    assert counts(there, Job, Design) == [1, 5]  # the two pictures, and the three of the job
    assert [words for _, words in told if "kite" in words or "bell" in words] == [
        "Reading kite.png",
        "Reading bell.png",
    ]
    shares = [share for share, _ in told]
    assert shares == sorted(shares) and 0 <= shares[0] < shares[-1] < 1


def test_over_the_api_it_is_a_file_with_the_name_of_the_job(shop: Shop, client: httpx.Client) -> None:
    shop.database.within(fill_shelf)
    (design,) = taking_in.take_in(shop, art_file("spark")[1], "spark.png", None, {"width_mm": 30.0})
    job = shop.database.within(lambda session: session.get_one(Design, design).job_id)
    shop.database.within(lambda session: setattr(session.get_one(Job, job), "name", "Höhe 5/8"))
    answer = client.get(f"/api/jobs/{job}/file")
    assert answer.headers["content-disposition"] == "attachment; filename*=UTF-8''H%C3%B6he%205/8.zip"
    assert len(answer.content) == int(answer.headers["content-length"])
    shop.database.within(lambda session: whole.take_away(session, "job", job))
    taken = sent(shop, client, "JOB.zip", answer.content)
    assert taken["state"] == "done" and taken["result"]["found"] == "saved job"
    shown = client.get(f"/api/jobs/{taken['result']['job_id']}").json()
    assert shown["name"] == "Höhe 5/8" and [part["name"] for part in shown["parts"]] == ["Spark"]
    found = client.get(f"/api/designs/{shown['parts'][0]['id']}").json()
    assert found["lines"]  # they were found without being asked for
    refused = sent(shop, client, "photo.zip", b"PK\x03\x04")
    assert refused["state"] == "failed" and "no JOB.zip" in refused["problem"]["what"]
    assert client.get("/api/jobs/4711/file").status_code == 404


def test_a_job_that_no_file_can_hold_says_so(shop: Shop, client: httpx.Client, monkeypatch: pytest.MonkeyPatch) -> None:
    """Here two are too many, as 2,001 are; what was said was a sentence about a list and its items."""
    monkeypatch.setattr(job_saving, "MOST_DESIGNS", 1)
    job = client.post("/api/jobs", json={"name": "Many"}).json()["id"]
    for name in ("kite", "spark"):
        taking_in.take_in(shop, art_file(name)[1], f"{name}.png", job, {})
    refused = client.get(f"/api/jobs/{job}/file")
    assert refused.status_code == 422 and "holds 1 designs at most; this job has 2" in refused.json()["title"]
