"""The customer's yes over the API: a proof of the job, the answer to it, and a change that asks again."""

import re
import subprocess
from io import BytesIO
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest
import zxingcpp
from PIL import Image, ImageDraw

from etiquette.core.production.job_progress import Pieces, standing
from etiquette.stations import line_finding, run_edits
from etiquette.stations.floor import proofs
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Design
from etiquette.tasks.work import Worker
from tests.server.test_jobs import art, client, job_of, printed
from tests.server.test_rows import put, take
from tests.stations.shop_floor import do

__all__ = ["client"]  # the fixture


def a_job(shop: Shop, client: httpx.Client, due: int = 12) -> tuple[int, int]:
    job = client.post("/api/jobs", json={"name": "Höhe & <Maß>", "customer": "Bell foundry"}).json()["id"]
    return job, art(shop, job, due)


def asked_for(shop: Shop, client: httpx.Client, job: int) -> dict[str, Any]:
    """The task that makes a proof, at its end."""
    made = client.post(f"/api/jobs/{job}/proofs")
    assert made.status_code == 200, made.text
    Worker(shop.database, shop).run_one()
    return dict(client.get(f"/api/tasks/{made.json()['task_id']}").json())


def proven(shop: Shop, client: httpx.Client, job: int) -> dict[str, Any]:
    task = asked_for(shop, client, job)
    assert task["problem"] is None
    shown = job_of(client, job)
    assert task["result"]["number"] == shown["proofs"][0]["number"]
    return shown


def answered(client: httpx.Client, job: int, number: int, says: str, **more: Any) -> httpx.Response:
    asked = {"version": job_of(client, job)["version"], "says": says, **more}
    return client.post(f"/api/jobs/{job}/proofs/{number}/answer", json=asked)


def edited(shop: Shop, design: int, **changes: Any) -> None:
    shop.database.within(lambda session: editing.change(session, design, None, "test", changes))


def test_a_yes_holds_until_what_was_shown_is_changed(shop: Shop, client: httpx.Client) -> None:
    job, design = a_job(shop, client)
    assert job_of(client, job)["words"] == "ready for a run" and job_of(client, job)["proofs"] == []
    assert proven(shop, client, job)["words"] == "waits for the customer's yes"
    given = answered(client, job, 1, "yes", by="Ada").json()
    (proof,) = given["proofs"]
    assert given["words"] == "ready for a run" and (proof["answer"], proof["answered_by"]) == ("yes", "Ada")
    edited(shop, design, turning="none")  # nobody is asked about that
    assert job_of(client, job)["words"] == "ready for a run" and job_of(client, job)["proofs"][0]["still_so"]
    edited(shop, design, due_count=13)
    shown = job_of(client, job)
    assert shown["words"] == "changed since the customer's yes" and not shown["proofs"][0]["still_so"]
    assert shown["words"] == client.get("/api/jobs").json()["jobs"][0]["words"]  # lists read no documents
    refused = answered(client, job, 1, "yes")
    assert refused.status_code == 422 and "was changed since proof 1" in refused.json()["title"]
    assert [one["number"] for one in proven(shop, client, job)["proofs"]] == [2, 1]
    assert answered(client, job, 2, "yes").json()["words"] == "ready for a run"


@pytest.mark.parametrize("how", ["one more design", "moved away", "taken back"])
def test_other_designs_ask_again(shop: Shop, client: httpx.Client, how: str) -> None:
    job, design = a_job(shop, client)
    proven(shop, client, job)
    answered(client, job, 1, "yes").raise_for_status()
    if how == "one more design":
        art(shop, job)
    elif how == "moved away":
        other = art(shop, job)
        proven(shop, client, job)
        answered(client, job, 2, "yes").raise_for_status()
        new = client.post("/api/jobs", json={"name": "New"}).json()["id"]
        client.post(f"/api/jobs/{new}/designs", json={"design_id": other}).raise_for_status()
    else:
        edited(shop, design, bleed_mm=3.0)
        revision = client.get(f"/api/designs/{design}").json()["revision"]
        client.post(f"/api/designs/{design}/undo", json={"revision": revision}).raise_for_status()
        # it is what was shown again; that it was changed in between stays said until somebody looks
        assert job_of(client, job)["proofs"][0]["still_so"]
    assert job_of(client, job)["words"] != "ready for a run"


def test_a_no_says_what_is_to_change(shop: Shop, client: httpx.Client) -> None:
    job, _ = a_job(shop, client)
    proven(shop, client, job)
    said = answered(client, job, 1, "no", by="Ada", note="smaller, please").json()
    assert said["words"] == "waits for the customer's yes" and said["proofs"][0]["note"] == "smaller, please"
    stale = {"version": said["version"] - 1, "says": "yes"}
    assert client.post(f"/api/jobs/{job}/proofs/1/answer", json=stale).status_code == 409
    assert answered(client, job, 7, "yes").status_code == 404
    assert client.get(f"/api/jobs/{job}/proofs/7").status_code == 404


def test_a_proof_shows_sizes_lines_and_counts_as_poppler_reads_it(
    shop: Shop, client: httpx.Client, tmp_path: Path
) -> None:
    job, design = a_job(shop, client, due=37)
    edited(shop, design, name="Seal <1>")
    proven(shop, client, job)
    answer = client.get(f"/api/jobs/{job}/proofs/1")
    assert answer.headers["content-type"] == "application/pdf" and answer.headers["x-content-type-options"] == "nosniff"
    (tmp_path / "proof.pdf").write_bytes(answer.content)
    shown = subprocess.run(["pdftotext", "-layout", tmp_path / "proof.pdf", "-"], capture_output=True, check=True)
    said = shown.stdout.decode()
    held = client.get(f"/api/designs/{design}").json()
    size = f"{held['document']['width_mm']:.1f} × {held['height_mm']:.1f} mm"
    assert "Höhe & <Maß>" in said and "Seal <1>" in said and "37 pieces" in said and size in said
    assert re.search(r"cut: 1 kiss", said) and "no bleed" in said and "Proof 1" in said
    again = client.get(f"/api/jobs/{job}/proofs/1")
    edited(shop, design, due_count=5)
    assert client.get(f"/api/jobs/{job}/proofs/1").content == again.content  # what was said yes to stays as it was


def test_what_cannot_be_shown_yet_is_said(shop: Shop, client: httpx.Client) -> None:
    job = client.post("/api/jobs", json={"name": "Empty"}).json()["id"]
    assert "has no art yet" in asked_for(shop, client, job)["problem"]["what"]
    (bare,) = taking_in.take_in(shop, b"".join(_tiny_png()), "bare.png", job, {})
    assert "no size or no line" in asked_for(shop, client, job)["problem"]["what"]
    assert shop.database.within(lambda session: session.get_one(Design, bare).document.width_mm) is None
    assert job_of(client, job)["proofs"] == [] and client.post("/api/jobs/999/proofs").status_code == 404


def test_what_changes_while_a_proof_is_drawn_is_not_what_it_shows(
    shop: Shop, client: httpx.Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    job, design = a_job(shop, client)
    drawn = proofs.drawn

    def changed_meanwhile(shown: Any) -> str:
        edited(shop, design, due_count=13)
        return drawn(shown)

    monkeypatch.setattr(proofs, "drawn", changed_meanwhile)
    assert "changed while its proof was drawn" in asked_for(shop, client, job)["problem"]["what"]
    assert job_of(client, job)["proofs"] == []


def _tiny_png() -> list[bytes]:
    held = BytesIO()
    Image.new("RGB", (60, 40), "red").save(held, "PNG")
    return [held.getvalue()]


def flag(shop: Shop, job: int, left: str, right: str, name: str = "flag.png") -> int:
    """A triangle of 60 × 30 mm that is highest at its left, its halves in two colours."""
    picture = Image.new("RGBA", (600, 300))
    pen = ImageDraw.Draw(picture)
    pen.polygon([(0, 0), (599, 299), (0, 299)], fill=right)
    pen.rectangle([0, 0, 299, 299], fill=left)
    shape = Image.new("L", picture.size)
    ImageDraw.Draw(shape).polygon([(0, 0), (599, 299), (0, 299)], fill=255)
    picture.putalpha(shape)
    held = BytesIO()
    picture.save(held, "PNG")
    wanted = {"due_count": 2, "ready": True, "offset_mm": 2.0, "width_mm": 60.0}
    (design,) = taking_in.take_in(shop, held.getvalue(), name, job, wanted)
    do(shop, line_finding.find_lines, design_id=design)
    return design


def rendered(client: httpx.Client, job: int, folder: Path, number: int = 1) -> Any:
    """The first page of a proof as Poppler draws it, RGB at 120 dpi."""
    (folder / "proof.pdf").write_bytes(client.get(f"/api/jobs/{job}/proofs/{number}").content)
    subprocess.run(["pdftoppm", "-r", "120", "-png", "-singlefile", "proof.pdf", "proof"], cwd=folder, check=True)
    return np.asarray(Image.open(folder / "proof.png").convert("RGB")).astype(int)


def middle(page: Any, colour: tuple[int, int, int]) -> tuple[float, float]:
    """Of what is painted in a colour: pixels from the left, from the top."""
    rows, columns = np.nonzero(np.abs(page - colour).max(axis=2) < 40)
    assert len(rows) > 500, colour
    return float(columns.mean()), float(rows.mean())


RED, GREEN, BLUE, GOLD = (200, 0, 0), (0, 150, 0), (0, 0, 200), (220, 180, 0)


def test_both_sides_of_a_decal_are_shown_as_each_is_seen(shop: Shop, client: httpx.Client, tmp_path: Path) -> None:
    job = client.post("/api/jobs", json={"name": "Window", "customer": "Bell foundry"}).json()["id"]
    front, back = flag(shop, job, "#c80000", "#009600"), flag(shop, job, "#0000c8", "#dcb400", "back.png")
    edited(shop, front, both_sides={"other": back})
    edited(shop, back, due_count=0)
    proven(shop, client, job)
    page = rendered(client, job, tmp_path)
    red, green, blue, gold = (middle(page, colour) for colour in (RED, GREEN, BLUE, GOLD))
    assert red[0] < green[0] < blue[0] < gold[0]  # each reads as its art does
    mm, line = 120 / 25.4, (0, 128, 105)
    half = int((green[0] + blue[0]) / 2)
    before, behind = (np.nonzero(np.abs(one - line).max(axis=2) < 40) for one in np.split(page, [half], axis=1))
    # the same line from behind: as far on the other side of the middle of the design
    assert before[1].mean() - before[1].min() == pytest.approx(behind[1].max() - behind[1].mean(), abs=0.5 * mm)
    assert before[1].mean() - before[1].min() < 26 * mm < behind[1].mean() - behind[1].min()
    # what hangs over the line is cut off there: half the blue of the triangle, and none of it high on its left
    blues = np.abs(page - BLUE).max(axis=2) < 40
    reds = np.abs(page - RED).max(axis=2) < 40
    assert blues.sum() < 0.5 * reds.sum() and blues.any()
    edited(shop, front, both_sides={"other": None})
    proven(shop, client, job)
    twice = np.abs(rendered(client, job, tmp_path, 2) - RED).max(axis=2) < 40
    assert np.ptp(np.nonzero(twice)[1]) > 60 * mm  # the same art, once more beside it


def test_art_behind_the_stock_is_shown_as_it_is_seen(shop: Shop, client: httpx.Client, tmp_path: Path) -> None:
    job = client.post("/api/jobs", json={"name": "Window", "customer": "Bell foundry"}).json()["id"]
    design = flag(shop, job, "#c80000", "#009600")
    revision = client.get(f"/api/designs/{design}").json()["revision"]
    taking_in.arrange_art(shop, design, revision, taking_in.ArrangeStep(do="second surface"))
    do(shop, line_finding.find_lines, design_id=design)
    proven(shop, client, job)
    page = rendered(client, job, tmp_path)
    assert middle(page, RED)[0] < middle(page, GREEN)[0]


def test_the_first_and_the_last_row_are_shown(shop: Shop, client: httpx.Client, tmp_path: Path) -> None:
    job = client.post("/api/jobs", json={"name": "Badges", "customer": "Bell foundry"}).json()["id"]
    held = BytesIO()
    Image.new("RGB", (400, 200), (232, 226, 210)).save(held, "PNG")
    wanted = {"width_mm": 60.0, "due_count": 3, "ready": True, "follow": "page", "offset_mm": 0.0}
    (design,) = taking_in.take_in(shop, held.getvalue(), "badge.png", job, wanted)
    do(shop, line_finding.find_lines, design_id=design)
    take(client, design, b"No\nK-001\nK-002\nK-003\n")
    code = {"what": "code", "name": "Code", "says": "{No}", "x_mm": 5, "y_mm": 5, "width_mm": 20, "height_mm": 20}
    put(client, design, fields=[code], left_out=[3])
    proven(shop, client, job)
    page = rendered(client, job, tmp_path)
    read = {one.text for one in zxingcpp.read_barcodes(page.astype(np.uint8))}
    assert {"K-001", "K-002"} <= read and "K-003" not in read
    said = subprocess.run(["pdftotext", tmp_path / "proof.pdf", "-"], capture_output=True, check=True).stdout.decode()
    assert "each filled from its row, 2 rows" in said.replace("\n", " ") and "2 pieces" in said


def test_print_says_that_the_yes_is_still_awaited(shop: Shop, client: httpx.Client) -> None:
    job, design = a_job(shop, client)
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 12}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    do(shop, plating.make_plates, run_id=run)

    def told() -> list[str]:
        return [one["words"] for one in client.get(f"/api/print/{run}/checks").json() if "yes" in one["words"]]

    assert told() == []
    proven(shop, client, job)
    assert told() == ["Höhe & <Maß> waits for its customer's yes"]
    answered(client, job, 1, "yes").raise_for_status()
    assert told() == []
    printed(shop, run)
    edited(shop, design, bleed_mm=2.0)
    assert told() in ([], ["Höhe & <Maß> was changed since its customer's yes"])


def test_what_is_printed_says_where_it_is_and_not_what_it_waits_for() -> None:
    due = Pieces(due=4, ready=4, planned=4)
    assert standing([due], yes="asked").words == "waits for the customer's yes"
    assert standing([due], yes="changed").tone == "look"
    assert standing([due], yes="given").words == standing([due]).words == "planned"
    assert standing([Pieces(4, 4, 4, 4)], yes="changed").words == "waits for film"
    assert standing([Pieces(due=4)], yes="asked").words == "needs lines"
