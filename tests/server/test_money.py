"""Prices, quotes, what was spent and records over the API."""

import csv
import io
import subprocess
import sys
from decimal import Decimal
from pathlib import Path
from typing import Any

import httpx
import pytest
from PIL import ImageFile
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.files.documents.sheets import CutDocument, CutMiss
from etiquette.stations import ledger, run_edits
from etiquette.stations.csv_tables import csv_of
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Laminator, Printer, PrintMode, Run, Sheet, Stock
from etiquette.store.states import SheetState
from tests.server.test_jobs import art, client, printed
from tests.stations.shop_floor import do

__all__ = ["client"]  # the fixture


def with_mode(shop: Shop) -> None:
    def put(session: Any) -> None:
        session.get_one(Printer, 1).ink_price_ml = Decimal("0.50")
        session.get_one(Laminator, 1).film_price_m2 = Decimal("2.00")
        session.get_one(Stock, 1).takes_film = True
        values = {"m2_per_hour": 6.0, "ink_ml_m2": 10.0, "drying_minutes": 0.0}
        session.add(PrintMode(name="Fine", stock_id=1, printer_id=1, dpi=600.0, passes=8, two_way=True, **values))

    shop.database.within(put)


def priced(client: httpx.Client, **values: Any) -> None:
    held = client.get("/api/prices").json()
    asked = {key: value for key, value in held.items() if key != "currency"} | values
    client.put("/api/prices", json=asked).raise_for_status()


def a_job(shop: Shop, client: httpx.Client) -> tuple[int, int, int]:
    """A job of 12 targets in a run of its own, nested; its design and run."""
    with_mode(shop)
    job = client.post("/api/jobs", json={"name": "Targets", "customer": "Bell foundry"}).json()["id"]
    design = art(shop, job)
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 12}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    return job, design, run


def quotes(client: httpx.Client, job: int, **asked: Any) -> dict[str, Any]:
    answer = client.get(f"/api/jobs/{job}/quotes", params=asked)
    assert answer.status_code == 200, answer.text
    return dict(answer.json())


def parts(quote: dict[str, Any]) -> dict[str, Decimal]:
    return {part["words"]: Decimal(part["amount"]) for part in quote["parts"]}


def test_what_a_job_will_cost_is_near_what_its_run_takes(shop: Shop, client: httpx.Client) -> None:
    """By the layout of its run, the stock of one time is that of the run."""
    job, _, run = a_job(shop, client)
    assert "prices are not set" in quotes(client, job)["lacks"][0]
    priced(client, hour_hands="30", hour_printer="18", hour_cutter="12", run_minutes=6, frame_minutes=2)
    made = quotes(client, job)
    assert made["by_run"] and made["lacks"] == [] and [one["pieces"] for one in made["quotes"]] == [12, 24, 60]
    of_run = Decimal(client.get(f"/api/runs/{run}").json()["figures"]["stock_cost"])
    once = parts(made["quotes"][0])
    assert once["Stock"] == of_run
    assert once["Film"] == pytest.approx(once["Stock"] / 2, abs=Decimal("0.01"))  # 2.00 beside 4.00 a m²
    assert once["Setting up"] == Decimal("4.00")
    costs = [Decimal(one["each"]) for one in made["quotes"]]
    assert costs == sorted(costs, reverse=True)  # the more, the cheaper each
    plates = printed(shop, run)
    of_plates = client.get(f"/api/print/{run}").json()["costs"]
    assert plates and abs(once["Ink"] - Decimal(of_plates["ink"])) <= max(
        Decimal("0.05"), Decimal(of_plates["ink"]) / 3
    )


def test_without_a_run_it_is_about_by_boxes(shop: Shop, client: httpx.Client) -> None:
    with_mode(shop)
    job = client.post("/api/jobs", json={"name": "Targets", "customer": "x"}).json()["id"]
    refused = client.get(f"/api/jobs/{job}/quotes")
    assert refused.status_code == 422 and "The size of no design" in refused.json()["title"]
    art(shop, job, due=40)
    made = quotes(client, job, times=[1, 3])
    assert not any("line" in one for one in made["lacks"])
    assert not made["by_run"] and [one["pieces"] for one in made["quotes"]] == [40, 120]
    assert parts(made["quotes"][1])["Stock"] > 2 * parts(made["quotes"][0])["Stock"]
    assert client.get(f"/api/jobs/{job}/quotes", params={"times": [0]}).status_code == 422

    def add(session: Session) -> None:
        known = session.scalars(select(Design)).one().document
        for number in range(5):
            session.add(
                Design(job_id=job, document=known.model_copy(update={"name": f"Cup {number}", "width_mm": None}))
            )
        session.add(Design(job_id=job, document=known.model_copy(update={"name": "Lid", "offset_mm": 3.5})))

    shop.database.within(add)
    lacks = quotes(client, job)["lacks"]
    assert "The size of Cup 0, Cup 1, Cup 2 and 2 more is not known: it is not in this quote." in lacks
    assert "No line of Lid has been found yet: cutting it is not in this quote." in lacks


def test_steps_by_hand_are_in_the_quote_and_go_with_the_job(shop: Shop, client: httpx.Client) -> None:
    job, _, _ = a_job(shop, client)
    priced(client, hour_hands="30", margin_percent=50)
    steps = [{"name": "Weed", "minutes": 0.5, "per": "piece"}, {"name": "Pack", "minutes": 8, "per": "job"}]
    version = client.get(f"/api/jobs/{job}").json()["version"]
    client.patch(f"/api/jobs/{job}", json={"version": version, "changes": {"hand_steps": steps}}).raise_for_status()
    once, twice, _ = quotes(client, job)["quotes"]
    assert parts(once)["Weed"] == Decimal("3.00") and parts(twice)["Weed"] == Decimal("6.00")
    assert parts(once)["Pack"] == parts(twice)["Pack"] == Decimal("4.00")
    assert Decimal(once["price"]) == 2 * Decimal(once["cost"])
    again = client.post(f"/api/whole/job/{job}/again").json()["id"]
    assert client.get(f"/api/jobs/{again}").json()["hand_steps"] == steps
    wrong = {"version": version + 1, "changes": {"hand_steps": [{"name": "Weed", "minutes": -1}]}}
    assert client.patch(f"/api/jobs/{job}", json=wrong).status_code == 422


def booked(shop: Shop, sheet: int, mm: float, reason: str = "printed One") -> None:
    shop.database.within(lambda session: ledger.book(session, 1, mm, reason, f"sheet {sheet}"))


def test_what_was_spent_is_the_jobs_share_of_every_print(shop: Shop, client: httpx.Client) -> None:
    job, design, run = a_job(shop, client)
    priced(client, hour_hands="30", hour_printer="18", hour_cutter="12", run_minutes=6, frame_minutes=2)
    assert client.get(f"/api/jobs/{job}/spent").json() == {"prints": 0, "metres": 0.0, "currency": "", "quote": None}
    cut = CutDocument(strokes=1, seconds=120.0, cut=CutMiss(median_mm=0.05, p95_mm=0.12, worst_mm=0.2, cut_mm=900.0))
    sheet = printed(shop, run, SheetState.CUT, good=10, report=cut)
    booked(shop, sheet, 500.0)
    spent = client.get(f"/api/jobs/{job}/spent").json()
    # 0.5 m of 600 mm: 0.3 m² at 4.00 and 2.00; at 6 m² an hour 3 min of 18 an hour; 2 min of 12; 6 + 2 min of 30
    made = parts(spent["quote"])
    assert spent["metres"] == 0.5 and made["Stock"] == Decimal("1.20") and made["Film"] == Decimal("0.60")
    assert made["Printing"] == Decimal("0.90") and made["Cutting"] == Decimal("0.40")
    assert made["Setting up"] == Decimal("4.00")

    # a print that failed was paid for too; one that is shared only for its share
    failed = printed(shop, run, SheetState.FAILED, key="failed")
    booked(shop, failed, 100.0, "spoiled: One")
    assert client.get(f"/api/jobs/{job}/spent").json()["metres"] == 0.6
    other = art(shop, due=12)
    shared = shop.database.within(
        lambda session: run_edits.create(
            session, "Two", [{"design_id": design, "count": 3}, {"design_id": other, "count": 9}]
        )
    )
    do(shop, nesting.nest_run, run_id=shared, steps=1)
    booked(shop, printed(shop, shared, key="shared"), 400.0)
    assert client.get(f"/api/jobs/{job}/spent").json()["metres"] == 0.7


def test_records_say_what_was_printed_and_cut_and_how_well(shop: Shop, client: httpx.Client) -> None:
    _, _, run = a_job(shop, client)
    assert client.get("/api/records").json() == {"records": [], "more": False}
    cut = CutDocument(strokes=1, seconds=120.0, cut=CutMiss(median_mm=0.05, p95_mm=0.12, worst_mm=0.2, cut_mm=900.0))
    sheet = printed(shop, run, SheetState.CUT, good=9, report=cut, cutter_id=1)
    booked(shop, sheet, 500.0)
    booked(shop, printed(shop, run, SheetState.FAILED, key="failed"), 120.0, "spoiled: One")
    newest, first = client.get("/api/records").json()["records"]
    assert (newest["spoiled"], newest["length_mm"], first["spoiled"]) == (True, 120.0, False)
    assert (first["run"], first["stock"], first["cutter"], first["good"]) == ("One", "White 600", "Knife", 9)
    assert first["missed_mm"] == 0.12 and first["expected_mm"] is None
    assert [
        one["sheet_id"] for one in client.get("/api/records", params={"text": "knife white"}).json()["records"]
    ] == [sheet]
    assert client.get("/api/records", params={"text": "other"}).json()["records"] == []
    assert client.get("/api/records", params={"month": "2020-02"}).json()["records"] == []
    (month,) = client.get("/api/records/months").json()
    # a quarter of 500 is not good, and all of 120
    assert (month["stock"], month["used_mm"], month["good"]) == ("White 600", 620.0, 9)
    assert month["lost_mm"] == pytest.approx(120 + 500 * 3 / 12)
    read = list(csv.DictReader(io.StringIO(client.get("/api/records.csv").text)))
    assert [row["name"] for row in read] == [newest["name"], first["name"]] and read[1]["good"] == "9"
    months = list(csv.DictReader(io.StringIO(client.get("/api/records/months.csv").text)))
    assert months[0]["used_mm"] == "620.0"


def test_records_stay_when_run_and_job_are_put_away(shop: Shop, client: httpx.Client) -> None:
    job, _, run = a_job(shop, client)
    booked(shop, printed(shop, run), 500.0)
    client.put(f"/api/whole/job/{job}/away", json={"away": True})
    client.put(f"/api/whole/run/{run}/away", json={"away": True})
    assert len(client.get("/api/records").json()["records"]) == 1
    assert shop.database.within(lambda session: session.get_one(Run, run).away)
    assert shop.database.within(lambda session: session.query(Sheet).count()) == 1


def test_words_that_a_spreadsheet_would_work_out_are_words() -> None:
    made = csv_of([["=1+1", "+2", "-3 mm", "@x", -3.5, None, 'a "b"', "two\nlines"]])
    (row,) = csv.reader(io.StringIO(made))
    assert row == ["'=1+1", "'+2", "'-3 mm", "'@x", "-3.5", "", 'a "b"', "two\nlines"]


def test_papers_are_pdf_that_another_program_reads(shop: Shop, client: httpx.Client, tmp_path: Path) -> None:
    """Poppler: text of the quote, without what it costs the shop; and the traveller."""
    job, _, _ = a_job(shop, client)
    priced(client, hour_hands="30", run_minutes=60, margin_percent=50)
    version = client.get(f"/api/jobs/{job}").json()["version"]
    changes = {"name": "Höhe <b>5</b> ☂", "customer": "Ζωή & Co"}
    client.patch(f"/api/jobs/{job}", json={"version": version, "changes": changes}).raise_for_status()
    once = quotes(client, job)["quotes"][0]

    def text_of(path: str) -> str:
        answer = client.get(path)
        assert answer.headers["content-type"] == "application/pdf"
        (tmp_path / "paper.pdf").write_bytes(answer.content)
        said = subprocess.run(["pdftotext", "-layout", tmp_path / "paper.pdf", "-"], capture_output=True, check=True)
        return said.stdout.decode()

    said = text_of(f"/api/jobs/{job}/quote?as=pdf")
    assert once["price"] in said and once["each"] in said and "Ζωή & Co" in said and "Höhe <b>5</b>" in said
    assert once["cost"] not in said and "Setting up" not in said
    assert f"JOB {job}" in text_of(f"/api/jobs/{job}/traveller?as=pdf")
    images = subprocess.run(["pdfimages", "-list", tmp_path / "paper.pdf"], capture_output=True, check=True).stdout
    assert len(images.splitlines()) > 2  # its design is on it
    held = client.get(f"/api/jobs/{job}/quotes.csv", params={"times": [1, 4]})
    rows = list(csv.reader(io.StringIO(held.text)))
    assert rows[0] == ["", "12 pieces", "48 pieces"] and rows[-2] == ["Price (EUR)", once["price"], rows[-2][2]]


def test_prices_that_were_changed_elsewhere_are_told(shop: Shop, client: httpx.Client) -> None:
    held = {key: value for key, value in client.get("/api/prices").json().items() if key != "currency"}
    assert client.put("/api/prices", json=held | {"hour_hands": "31.5"}).json()["hour_hands"] == "31.5000"
    assert client.put("/api/prices", json=held | {"hour_hands": "32"}).status_code == 409
    for wrong in ({"margin_percent": 96}, {"hour_hands": "-1"}, {"run_minutes": "x"}):
        assert client.put("/api/prices", json=held | wrong).status_code == 422


def test_a_paper_leaves_its_process_as_it_was(shop: Shop, client: httpx.Client) -> None:
    """A layout engine that is loaded lets damaged pictures through in all of its process: it is loaded in a child."""
    job, _, _ = a_job(shop, client)
    assert client.get(f"/api/jobs/{job}/traveller?as=pdf").content.startswith(b"%PDF")
    assert not ImageFile.LOAD_TRUNCATED_IMAGES and "weasyprint" not in sys.modules
