"""Jobs over the API: their state follows from their pieces; anything is found by name, and a frame by its code."""

import re
from collections.abc import Iterator
from typing import Any

import cv2
import httpx
import numpy as np
import pytest
from sqlalchemy import select, text
from sqlalchemy.orm import Session

from etiquette.core.marking.codes import FrameCode
from etiquette.demo.art import art_file
from etiquette.files.documents.sheets import ProgressDocument
from etiquette.stations import edits, line_finding, run_edits
from etiquette.stations.lines import taking_in
from etiquette.stations.print import plating
from etiquette.stations.run import nesting
from etiquette.stations.shop import Shop
from etiquette.store.models import Design, Frame, Job, Laminator, Plate, PlateItem, Run, RunItem, Sheet
from etiquette.store.states import RunState, SheetState
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    shop.database.within(fill_shelf)
    with signed_in(shop) as made:
        yield made


def art(shop: Shop, job: int | None = None, due: int = 12) -> int:
    wanted = {"due_count": due, "ready": True, "offset_mm": -3.0}
    (design,) = taking_in.take_in(shop, art_file("trueing-disc")[1], "target.png", job, wanted)
    do(shop, line_finding.find_lines, design_id=design)
    return design


def printed(shop: Shop, run: int, state: SheetState = SheetState.PRINTED, **more: Any) -> int:
    """A print of the run's first frame, as the printer would leave it behind."""
    (plate, *_) = do(shop, plating.make_plates, run_id=run)["plate_ids"]

    def put(session: Any) -> int:
        row = session.get_one(Plate, plate)
        pieces = len(row.summary.placed)
        sheet = Sheet(plate_id=plate, name=f"{row.summary.code}-{len(more) + 1}", state=state, pieces=pieces, **more)
        session.add(sheet)
        session.flush()
        return int(sheet.id)

    return shop.database.within(put)


def job_of(client: httpx.Client, job: int) -> dict[str, Any]:
    return dict(client.get(f"/api/jobs/{job}").json())


def test_a_job_goes_through_the_shop(shop: Shop, client: httpx.Client) -> None:
    made = client.post("/api/jobs", json={"name": "Targets", "customer": "Bell foundry", "due": "2026-12-03"})
    assert made.status_code == 200 and made.json()["words"] == "no art yet"
    job = made.json()["id"]
    design = art(shop, job)
    assert job_of(client, job)["words"] == "ready for a run" and job_of(client, job)["parts"][0]["missing"] == 12
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 12}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    shown = job_of(client, job)
    assert shown["words"] == "planned" and shown["parts"][0]["runs"] == [{"id": run, "name": "One", "state": "planned"}]
    sheet = printed(shop, run)
    assert job_of(client, job)["words"] == "waits for film" and job_of(client, job)["steps"]["print"] == 1.0

    def cut(session: Any, good: int | None = None, spoiled: tuple[int, ...] = ()) -> None:
        row = session.get_one(Sheet, sheet)
        for state in (SheetState.LAMINATED, SheetState.READ, SheetState.CUT):
            row.state = state
        row.good, row.progress = good, ProgressDocument(spoiled=spoiled)

    shop.database.within(cut)
    assert job_of(client, job)["words"] == "cut, 12 to count"
    shop.database.within(lambda session: setattr(session.get_one(Sheet, sheet), "good", 10))
    assert job_of(client, job)["words"] == "2 spoiled, 2 to print again" and job_of(client, job)["tone"] == "stop"
    again = shop.database.within(lambda session: run_edits.create(session, "Rest", [{"design_id": design, "count": 2}]))
    assert job_of(client, job)["words"] == "10 of 12 printed"
    do(shop, nesting.nest_run, run_id=again, steps=1)
    printed(shop, again, SheetState.CUT, good=2)
    shown = job_of(client, job)
    assert shown["words"] == "12 good, to hand over" and not shown["done"] and shown["parts"][0]["to_hand"] == 12
    part = {"version": shown["version"], "counts": {design: 5}, "note": "by bicycle"}
    handed = client.post(f"/api/jobs/{job}/handovers", json=part)
    assert handed.json()["words"] == "7 good, to hand over"
    assert client.post(f"/api/jobs/{job}/handovers", json=part).status_code == 409  # a second press hands over nothing
    many = {"version": handed.json()["version"], "counts": {design: 8}}
    assert "7 are good and here" in client.post(f"/api/jobs/{job}/handovers", json=many).text
    ended = client.post(f"/api/jobs/{job}/handovers", json={**many, "counts": {design: 7}}).json()
    assert ended["words"] == "handed over" and ended["done"]
    slips = [client.get(f"/api/jobs/{job}/handovers/{one['id']}/slip").text for one in ended["handovers"]]
    assert ">7<" in slips[0] and "by bicycle" in slips[1] and ">5<" in slips[1] and "Bell foundry" in slips[0]
    assert client.get(f"/api/jobs/{job}/handovers/99/slip").status_code == 404
    assert [[one["items"][0]["count"], one["note"]] for one in ended["handovers"]] == [[7, ""], [5, "by bicycle"]]


def test_the_traveller_carries_a_code_that_finds_the_job(shop: Shop, client: httpx.Client) -> None:
    made = client.post("/api/jobs", json={"name": "漁船 <b>Łódź</b>", "customer": "Night & market"}).json()
    design = art(shop, made["id"], due=8)
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 8}]))
    client.patch(f"/api/jobs/{made['id']}", json={"version": made["version"], "changes": {"notes": "matt\n\nno film"}})
    page = client.get(f"/api/jobs/{made['id']}/traveller").text
    assert "漁船 &lt;b&gt;Łódź&lt;/b&gt;" in page and "Night &amp; market" in page and "<p>no film</p>" in page
    code = shop.database.within(lambda session: session.scalars(select(Frame).where(Frame.run_id == run)).one().code)
    assert code in page
    view, drawn = re.search(r'viewBox="-4 -4 (\d+) \1"[^>]*><path d="([^"]+)"', page).groups()  # type: ignore[union-attr]
    image = np.full((int(view), int(view)), 255, dtype=np.uint8)
    for x, y in re.findall(r"M(\d+) (\d+)h1v1h-1z", drawn):
        image[int(y) + 4, int(x) + 4] = 0
    # by a reader that shares nothing with what writes the code
    read, *_ = cv2.QRCodeDetector().detectAndDecode(np.kron(image, np.ones((6, 6), dtype=np.uint8)))
    (found, *_) = client.get("/api/find", params={"text": read}).json()
    assert found["path"] == f"/floor/job/{made['id']}"
    assert client.get("/api/find", params={"text": "job 99999999999999"}).status_code == 200


def test_a_job_of_many_designs_is_shown_a_page_at_a_time_and_run_as_far_as_one_run_goes(
    shop: Shop, client: httpx.Client
) -> None:
    """512 designs: 40 on a page, 500 in a run; one of them has no line yet."""
    job = client.post("/api/jobs", json={"name": "Thousands"}).json()["id"]
    first = art(shop, job, due=3)

    def copy(session: Session) -> None:
        document = session.get_one(Design, first).document
        for number in range(511):
            changes = {"name": f"Cup {number}"} if number else {"name": "Lid", "ready": False}
            session.add(Design(job_id=job, document=document.model_copy(update=changes)))

    shop.database.within(copy)
    answer = client.get(f"/api/jobs/{job}")
    shown = answer.json()
    assert len(shown["parts"]) == 40 and shown["more_parts"] and len(answer.content) < 40_000
    ahead = shown["next"]
    assert (ahead["designs"], ahead["waits"]["name"], ahead["wants_more"]) == (512, "Lid", True)
    wanted = client.get(f"/api/jobs/{job}/wanted").json()
    assert len(wanted) == 500 and ahead["wanted"] == 1500 == sum(one["count"] for one in wanted)
    assert ahead["waits"]["id"] not in [one["design_id"] for one in wanted]
    run = client.post("/api/runs", json={"name": "First", "items": wanted})
    assert run.status_code == 200 and job_of(client, job)["next"]["wanted"] == 3 * 11
    assert job_of(client, job)["next"]["run"]["name"] == "First"
    last = client.get(f"/api/jobs/{job}/parts", params={"skip": 480}).json()
    assert len(last["parts"]) == 32 and not last["more"] and last["parts"][-1]["name"] == "Cup 510"
    found = client.get(f"/api/jobs/{job}/parts", params={"text": "cup 50"}).json()["parts"]
    assert [one["name"] for one in found] == [f"Cup {number}" for number in range(1, 511) if "50" in str(number)]


def test_a_job_is_closed_by_what_is_handed_over_and_opened_by_what_is_due(shop: Shop, client: httpx.Client) -> None:
    job = client.post("/api/jobs", json={"name": "Targets"}).json()["id"]
    design = art(shop, job)
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 12}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    printed(shop, run, SheetState.CUT, good=12)

    def closed(session: Any, number: int = job) -> bool:
        return session.get_one(Job, number).closed_at is not None

    def due(count: int) -> None:
        revision = client.get(f"/api/designs/{design}").json()["revision"]
        body = {"revision": revision, "changes": {"due_count": count}, "words": "count"}
        assert client.post(f"/api/designs/{design}/edits", json=body).status_code == 200

    shown = job_of(client, job)
    assert (shown["next"]["here"], shown["next"]["whole"]) == (12, True)
    # no counts: all that is good and due
    ended = client.post(f"/api/jobs/{job}/handovers", json={"version": shown["version"]}).json()
    assert ended["handovers"][0]["items"][0]["count"] == 12
    assert shop.database.within(closed)
    due(13)  # one more is wanted
    assert not shop.database.within(closed)
    due(11)
    assert shop.database.within(closed)
    more = art(shop, job)  # more art for it
    assert not shop.database.within(closed)
    other = client.post("/api/jobs", json={"name": "Other"}).json()["id"]
    client.post(f"/api/jobs/{other}/designs", json={"design_id": more})
    assert shop.database.within(closed) and not shop.database.within(lambda session: closed(session, other))
    client.delete(f"/api/jobs/{job}/handovers/{ended['handovers'][0]['id']}")  # it came back
    assert not shop.database.within(closed)


def test_spares_are_made_with_the_first_run_and_taken_before_anything_is_printed_again(
    shop: Shop, client: httpx.Client
) -> None:
    made = client.post("/api/jobs", json={"name": "Targets"}).json()
    job, design = made["id"], art(shop, made["id"], due=20)
    spares = {"version": made["version"], "changes": {"spare_count": 1, "spare_percent": 7.0}}
    (part,) = client.patch(f"/api/jobs/{job}", json=spares).json()["parts"]
    assert (part["missing"], part["wanted"]) == (20, 23)  # 1 and 7 % of 20, rounded up
    run = shop.database.within(lambda session: run_edits.create(session, "One", [{"design_id": design, "count": 23}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    sheet = printed(shop, run, SheetState.CUT, good=20)
    (part,) = job_of(client, job)["parts"]
    assert (part["missing"], part["wanted"], part["to_hand"]) == (0, 0, 20)
    shop.database.within(lambda session: setattr(session.get_one(Sheet, sheet), "good", 18))
    (part,) = job_of(client, job)["parts"]
    assert (part["missing"], part["wanted"]) == (2, 2)


def test_what_runs_and_plates_hold_is_kept_beside_their_documents(shop: Shop, client: httpx.Client) -> None:
    one, two = art(shop), art(shop)
    items = [{"design_id": one, "count": 3}, {"design_id": two, "count": 2}]
    run = shop.database.within(lambda session: run_edits.create(session, "Both", items))

    def counts(session: Any) -> dict[int, int]:
        return {row.design_id: row.count for row in session.scalars(select(RunItem).where(RunItem.run_id == run))}

    assert shop.database.within(counts) == {one: 3, two: 2}
    change = {"items": [{"design_id": two, "count": 7}]}
    shop.database.within(lambda session: run_edits.change(session, run, None, "items", change))
    assert shop.database.within(counts) == {two: 7}
    revision = shop.database.within(lambda session: session.get_one(Run, run).revision)
    shop.database.within(lambda session: edits.step(session, "run", run, revision, "undo"))
    assert shop.database.within(counts) == {one: 3, two: 2}
    do(shop, nesting.nest_run, run_id=run, steps=1)
    printed(shop, run)
    placed = shop.database.within(
        lambda session: {row.design_id: row.count for row in session.scalars(select(PlateItem))}
    )
    assert placed == {one: 3, two: 2}


def test_a_database_of_before_is_counted_by_its_migration(shop: Shop, client: httpx.Client) -> None:
    design = art(shop)
    items = [{"design_id": design, "count": 5}]
    run = shop.database.within(lambda session: run_edits.create(session, "Both", items))
    do(shop, nesting.nest_run, run_id=run, steps=1)
    printed(shop, run)
    with shop.database.engine.begin() as connection:
        before = [connection.execute(text(f"SELECT * FROM {table}")).all() for table in ("run_item", "plate_item")]
        for table in ("run_item", "plate_item"):
            connection.execute(text(f"DROP TABLE {table}"))
        connection.execute(text("UPDATE alembic_version SET version_num = '0022'"))
    shop.database.migrate()
    with shop.database.engine.begin() as connection:
        after = [connection.execute(text(f"SELECT * FROM {table}")).all() for table in ("run_item", "plate_item")]
    assert after == before and after[0] == [(run, design, 5)]


def test_a_job_is_changed_and_a_screen_that_missed_it_is_told(shop: Shop, client: httpx.Client) -> None:
    design = art(shop)
    job = shop.database.within(lambda session: session.get_one(Design, design).job_id)
    first = job_of(client, job)
    assert first["customer"] == "Walk-in" and first["due"] is None
    asked = {
        "version": first["version"],
        "changes": {"due": "2026-12-24", "customer": " Kite club ", "notes": "call first"},
    }
    changed = client.patch(f"/api/jobs/{job}", json=asked).json()
    assert (changed["due"], changed["customer"], changed["notes"]) == ("2026-12-24", "Kite club", "call first")
    assert client.patch(f"/api/jobs/{job}", json=asked).status_code == 409
    asked = {"version": changed["version"], "changes": {"due": None, "customer": ""}}
    assert client.patch(f"/api/jobs/{job}", json=asked).json()["customer"] == "Walk-in"
    version = job_of(client, job)["version"]
    for wrong in ({"name": "  "}, {"due": "someday"}, {"state": "done"}, {"notes": "x" * 5000}):
        assert client.patch(f"/api/jobs/{job}", json={"version": version, "changes": wrong}).status_code == 422


def test_a_design_is_moved_to_another_job(shop: Shop, client: httpx.Client) -> None:
    design = art(shop)
    old = shop.database.within(lambda session: session.get_one(Design, design).job_id)
    new = client.post("/api/jobs", json={"name": "New"}).json()["id"]
    moved = client.post(f"/api/jobs/{new}/designs", json={"design_id": design}).json()
    assert [part["id"] for part in moved["parts"]] == [design]
    assert job_of(client, old)["parts"] == []
    assert client.post(f"/api/jobs/{new}/designs", json={"design_id": 4711}).status_code == 404


def test_jobs_are_listed_by_name_customer_and_month(shop: Shop, client: httpx.Client) -> None:
    for name, customer, due in (
        ("Jars", "Seed swap", "2076-12-31"),
        ("Bands", "River ferry", "2077-01-01"),
        ("Odd", "", None),
    ):
        client.post("/api/jobs", json={"name": name, "customer": customer, "due": due})

    def names(**asked: str) -> list[str]:
        return [job["name"] for job in client.get("/api/jobs", params=asked).json()["jobs"]]

    assert names() == ["Jars", "Bands", "Odd"] and names(text="seed ja") == ["Jars"]
    assert names(month="2076-12") == ["Jars"] and names(month="2077-01") == ["Bands"]
    assert names(text="50%_") == [] and client.get("/api/jobs", params={"month": "2026-13"}).status_code == 422
    shop.database.within(lambda session: session.add_all(Job(name=f"J{n}", customer="x") for n in range(61)))
    assert client.get("/api/jobs", params={"text": "x"}).json()["more"] and len(names(text="x", skip="60")) == 1


def test_anything_is_found_and_a_frame_by_its_code(shop: Shop, client: httpx.Client) -> None:
    design = art(shop)
    run = shop.database.within(lambda session: run_edits.create(session, "Yule", [{"design_id": design, "count": 2}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)

    def found(what: str) -> list[tuple[str, str, str]]:
        answer = client.get("/api/find", params={"text": what})
        assert answer.status_code == 200
        return [(one["kind"], one["name"], one["path"]) for one in answer.json()]

    code = shop.database.within(lambda session: session.scalars(select(Frame)).one().code)
    assert ("frame", code, f"/run/{run}") in found(code.lower())
    assert found(FrameCode(code, "tail").payload)[0] == ("frame", code, f"/run/{run}")  # as a scanner types it
    sheet = printed(shop, run)
    shop.database.within(lambda session: setattr(session.get_one(Run, run), "state", RunState.CUTTER))
    assert found(f"{code}-1")[0] == ("frame", f"{code}-1", f"/bench/{sheet}")
    assert {"job", "design"} <= {kind for kind, _, _ in found("target")} and found("yule")[0][0] == "run"
    kinds = {kind for word in ("white", "cutter", "printer") for kind, _, _ in found(word)}
    assert {"stock", "roll", "machine", "setting"} <= kinds
    assert ("setting", "Bleed", "/lines") in found("bleed") and ("setting", "Gap", "/run") in found("gap")
    assert found("  ") == [] and found("%") == [] and found("no such thing at all") == []


def test_art_dropped_together_is_one_job(shop: Shop, client: httpx.Client) -> None:
    files = [("file", (f"{name}.png", art_file("spark")[1])) for name in ("star", "moon", "sun")]
    ids = client.post("/api/designs", files=files).json()["ids"]
    (job,) = client.get("/api/jobs").json()["jobs"]
    assert job["name"] == "Star" and [part["id"] for part in job_of(client, job["id"])["parts"]] == ids
    more = client.post("/api/designs", files=files[:1], data={"job_id": str(job["id"])})
    assert len(job_of(client, job["id"])["parts"]) == 4 and more.status_code == 200
    alone = [("file", (f"{name}-white.png", art_file("spark")[1])) for name in ("lamp", "post")]
    client.post("/api/designs", files=alone)
    assert [len(one["designs"]) for one in client.get("/api/jobs", params={"text": "lamp"}).json()["jobs"]] == [2]


def test_files_belong_to_a_job_and_are_given_back_as_they_came(client: httpx.Client) -> None:
    """A page that would run in the browser is kept, and given to be saved: never as a page of Etiquette's."""
    job = client.post("/api/jobs", json={"name": "Van"}).json()["id"]
    page = b"<script>alert(1)</script>"
    files = [("file", ("order.html", page, "text/html")), ("file", ("Fährplan 船.txt", b"7:40", "text/plain"))]
    kept = client.post(f"/api/jobs/{job}/files", files=files).json()["files"]
    assert [(one["name"], one["size"]) for one in kept] == [("order.html", len(page)), ("Fährplan 船.txt", 4)]
    given = client.get(f"/api/jobs/{job}/files/{kept[0]['id']}")
    assert given.content == page and given.headers["content-type"] == "application/octet-stream"
    assert given.headers["content-disposition"].startswith("attachment")
    refused = client.post(f"/api/jobs/{job}/files", files=[("file", ("full.txt", b"x")), ("file", ("none.txt", b""))])
    assert refused.status_code == 422 and "none.txt is empty" in refused.json()["title"]
    left = client.delete(f"/api/jobs/{job}/files/{kept[0]['id']}").json()["files"]
    assert [one["name"] for one in left] == ["Fährplan 船.txt"]  # and none of what was refused
    other = client.post("/api/jobs", json={"name": "Bus"}).json()["id"]
    assert client.get(f"/api/jobs/{other}/files/{kept[1]['id']}").status_code == 404


@pytest.mark.parametrize(
    ("said", "film"),
    [({}, "Laminator"), ({"without_film": True}, None), ({"laminator_id": "Cold roller"}, "Cold roller")],
)
def test_a_run_begins_with_the_film_of_its_job(
    shop: Shop, client: httpx.Client, said: dict[str, Any], film: str | None
) -> None:
    """Not said: the first laminator of the Shelf."""
    shop.database.within(lambda session: session.add(Laminator(name="Cold roller", film_width_mm=700)))
    films = shop.database.within(
        lambda session: dict(session.execute(select(Laminator.name, Laminator.id)).tuples().all())
    )
    shown = client.post("/api/jobs", json={"name": "Targets"}).json()
    changes = {key: films.get(value, value) for key, value in said.items()}
    changed = client.patch(f"/api/jobs/{shown['id']}", json={"version": shown["version"], "changes": changes})
    assert changed.status_code == 200 and {one["name"] for one in changed.json()["films"]} == set(films)
    items = [{"design_id": art(shop, shown["id"]), "count": 2}]
    run = client.post("/api/runs", json={"name": "One", "items": items}).json()["id"]
    document = shop.database.within(lambda session: session.get_one(Run, run).document)
    assert document.laminator_id == (films[film] if film else None)
