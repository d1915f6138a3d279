"""Jobs on the screen: a day and a customer are given, a design moves, what is missing becomes a run; a frame code and a
machine are found."""

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from etiquette.demo.art import art_file
from tests.conftest import RunningEtiquette


def test_a_job_gets_its_day_and_its_run(page_on: Page, running: RunningEtiquette) -> None:
    page_on.goto(f"{running.url}/lines")
    picture = {"name": "violet-star.png", "mimeType": "image/png", "buffer": art_file("spark")[1]}
    page_on.get_by_label("Art file", exact=True).set_input_files(picture)  # type: ignore[arg-type]
    page_on.get_by_role("heading", name="Violet star", exact=True).wait_for()
    page_on.get_by_role("link", name="Walk-in").click()
    page_on.get_by_role("complementary", name="This job").wait_for()
    expect(page_on.get_by_text("needs lines").first).to_be_visible()
    due = page_on.get_by_label("Due", exact=True)
    due.fill("2076-12-24")
    due.press("Enter")
    expect(page_on.get_by_text("24 Dec 2076")).to_be_visible()
    page_on.get_by_label("Customer").first.fill("Night market")
    page_on.get_by_label("Customer").first.press("Enter")
    expect(page_on.get_by_text("All jobs · Night market")).to_be_visible()
    number = int(page_on.url.rsplit("/", 1)[1])
    job = running.get(f"/api/jobs/{number}").json()
    assert (job["due"], job["customer"]) == ("2076-12-24", "Night market")

    page_on.get_by_role("button", name="Move").click()
    page_on.get_by_role("button", name="A new job").click()
    expect(page_on.get_by_text("No art belongs to this job")).to_be_visible()
    page_on.get_by_role("button", name="This job as a whole").click()
    page_on.get_by_role("button", name="Delete this job").click()
    page_on.get_by_role("button", name="Delete it").click()
    page_on.get_by_role("heading", name="All jobs").wait_for()
    page_on.get_by_label("Name or customer").fill("night market")
    page_on.get_by_label("Month").select_option("December")
    page_on.get_by_label("Year").fill("2076")
    page_on.get_by_role("link", name=re.compile("New job")).click()
    expect(page_on.get_by_role("region", name="Violet star")).to_be_visible()
    assert running.get(f"/api/jobs/{number}").status_code == 404


def test_what_is_missing_becomes_a_run(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        (design,) = client.post("/api/designs", files={"file": ("lantern.png", art_file("spark")[1])}).json()["ids"]
        revision = client.get(f"/api/designs/{design}").json()["revision"]
        ready = {"revision": revision, "words": "ready", "changes": {"ready": True, "due_count": 7}}
        client.post(f"/api/designs/{design}/edits", json=ready).raise_for_status()
    page_on.keyboard.press("Control+k")
    page_on.get_by_placeholder("A job").fill("lantern walk")
    page_on.get_by_role("option", name=re.compile("Lantern.*job of Walk-in")).wait_for()
    page_on.get_by_role("option", name=re.compile("Lantern.*job of Walk-in")).click()
    page_on.get_by_role("button", name="Make a run of 7 pieces").click()
    page_on.wait_for_url(re.compile(r"/run/\d+$"))
    page_on.go_back()
    expect(page_on.get_by_text("planned").first).to_be_visible()
    expect(page_on.get_by_role("button", name="Open Lantern")).to_be_visible()


def test_a_frame_code_and_a_machine_are_found(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        code = client.get("/api/runs/1").json()["plans"][0]["code"]
    page_on.keyboard.press("Control+k")
    page_on.get_by_placeholder("A job").fill(code.lower())
    page_on.get_by_role("option", name=re.compile(code)).click()
    page_on.wait_for_url(re.compile(r"/(run|print|bench)/\d+$"))
    page_on.keyboard.press("Control+k")
    page_on.get_by_placeholder("A job").fill("cutter north")
    page_on.get_by_role("option", name=re.compile("Cutter north")).click()
    expect(page_on.get_by_label("Name of the cutter")).to_have_value("Cutter north")


def a_job(running: RunningEtiquette, name: str) -> int:
    """A job of one ready design."""
    with running.client() as client:
        (design,) = client.post("/api/designs", files={"file": (f"{name}.png", art_file("spark")[1])}).json()["ids"]
        shown = client.get(f"/api/designs/{design}").json()
        ready = {"revision": shown["revision"], "words": "ready", "changes": {"ready": True, "due_count": 10}}
        client.post(f"/api/designs/{design}/edits", json=ready).raise_for_status()
        found = client.get("/api/jobs", params={"text": name.replace("-", " ")}).json()["jobs"]
    return int(found[0]["id"])


def test_a_job_is_ordered_again_put_away_saved_and_taken_in(
    page_on: Page, running: RunningEtiquette, tmp_path: Path
) -> None:
    job = a_job(running, "harbour-bell")
    page_on.goto(f"{running.url}/floor/job/{job}")
    page_on.get_by_role("button", name="This job as a whole").click()
    with page_on.expect_download() as saved:
        page_on.get_by_role("link", name="Save this job as a file").click()
    assert saved.value.suggested_filename == "Harbour bell.zip"
    saved.value.save_as(tmp_path / "job.zip")
    page_on.get_by_role("button", name="Put this job away").click()
    expect(page_on.get_by_text("It is put away")).to_be_visible()
    page_on.get_by_role("button", name="Order it again").click()
    page_on.wait_for_url(lambda url: not url.endswith(f"/{job}"))
    expect(page_on.get_by_role("region", name="Harbour bell")).to_be_visible()
    assert running.get(f"/api/jobs/{job}").json()["away"]
    page_on.goto(f"{running.url}/floor/jobs")
    again = page_on.url
    page_on.get_by_label("Take in a saved job").set_input_files(tmp_path / "job.zip")
    page_on.wait_for_url(re.compile(r"/floor/job/\d+$"))
    assert page_on.url != again
    expect(page_on.get_by_role("region", name="Harbour bell")).to_be_visible()
    assert len(running.get("/api/jobs?text=harbour").json()["jobs"]) == 3


def test_what_a_job_costs_follows_hands_and_prices(page_on: Page, running: RunningEtiquette) -> None:
    job = a_job(running, "tide-table")
    page_on.goto(f"{running.url}/floor/job/{job}")
    costs = page_on.get_by_role("region", name="What it costs")
    costs.get_by_role("row", name=re.compile("Stock")).wait_for()
    page_on.get_by_role("button", name="By hand").click()
    page_on.get_by_role("button", name="Weed", exact=True).click()
    costs.get_by_role("row", name=re.compile("Weed.*10 min.*20 min.*50 min")).wait_for()
    page_on.goto(f"{running.url}/shelf?prices=0")
    page_on.get_by_role("button", name=re.compile("An hour of hands")).click()
    field = page_on.get_by_role("textbox", name="An hour of hands")
    field.fill("30")
    field.press("Enter")
    page_on.get_by_role("button", name=re.compile("An hour of hands.*30.00")).wait_for()
    page_on.goto(f"{running.url}/floor/job/{job}")
    costs.get_by_role("row", name=re.compile(r"Weed 5\.00.*10\.00.*25\.00")).wait_for()
    costs.get_by_role("button", name="Leave out 20 pieces").click()
    expect(costs.get_by_role("columnheader")).to_have_count(3)


def test_records_are_read_and_looked_through(page_on: Page, running: RunningEtiquette) -> None:
    page_on.get_by_role("link", name="Records").click()
    page_on.get_by_role("heading", name="Prints").wait_for()
    page_on.get_by_label("Run, stock or machine").fill("kite badges east")
    expect(page_on.get_by_role("row", name=re.compile("Kite club badges.*Printer east")).first).to_be_visible()
    page_on.get_by_label("Run, stock or machine").fill("nothing of the kind")
    expect(page_on.get_by_text("Nothing was printed so, or then.")).to_be_visible()
    expect(page_on.get_by_role("figure", name="Metres by month")).to_contain_text("printed")


def test_the_customers_yes_is_asked_given_and_asked_again(page_on: Page, running: RunningEtiquette) -> None:
    job = a_job(running, "mill-stone")
    page_on.goto(f"{running.url}/floor/job/{job}")
    page_on.get_by_role("button", name="The customer's yes").click()
    page_on.get_by_role("button", name="Make a proof").click()
    expect(page_on.get_by_text("waits for the customer's yes")).to_be_visible()
    page_on.get_by_label("Who answered").fill("Ada")
    page_on.get_by_role("button", name="They said yes").click()
    expect(page_on.get_by_text("Yes, Ada")).to_be_visible()
    expect(page_on.get_by_text("ready for a run")).to_be_visible()
    with running.client() as client:
        (part,) = client.get(f"/api/jobs/{job}").json()["parts"]
        revision = client.get(f"/api/designs/{part['id']}").json()["revision"]
        change = {"revision": revision, "words": "count", "changes": {"due_count": 11}}
        client.post(f"/api/designs/{part['id']}/edits", json=change).raise_for_status()
    expect(page_on.get_by_text("changed since the customer's yes")).to_be_visible()  # the page follows by itself
    expect(page_on.get_by_text("The job was changed since.")).to_be_visible()
    page_on.get_by_role("button", name="Make a new proof").click()
    expect(page_on.get_by_text("Proof 1: yes, Ada")).to_be_visible()


def test_a_machine_that_was_put_away_is_named(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        laminator = client.get("/api/shelf").json()["laminator"][0]
        path = f"/api/shelf/laminator/{laminator['id']}"
        version = laminator["version"]
        client.post(path, json={"version": version, "changes": {"away": True}, "reason": ""}).raise_for_status()
        try:
            page_on.goto(f"{running.url}/run/2")
            expect(page_on.get_by_role("alert")).to_contain_text(f"{laminator['name']} is put away.")
        finally:
            version = client.get("/api/shelf").json()["laminator"][0]["version"]
            client.post(path, json={"version": version, "changes": {"away": False}, "reason": ""}).raise_for_status()
    page_on.reload()
    page_on.get_by_role("heading", name="Kite club badges").wait_for()
    expect(page_on.get_by_role("alert")).to_have_count(0)


def test_a_large_job_is_looked_through_by_names_and_pages(page_on: Page, running: RunningEtiquette) -> None:
    job = a_job(running, "Tide")
    with running.client() as client:
        (first,) = client.get(f"/api/jobs/{job}").json()["parts"]
        for _ in range(41):
            client.post(f"/api/whole/design/{first['id']}/again").raise_for_status()
        newest = max(part["id"] for part in client.get(f"/api/jobs/{job}/parts?skip=40").json()["parts"])
        asked = {"revision": 0, "words": "name", "changes": {"name": "Ebb"}}
        asked["revision"] = client.get(f"/api/designs/{newest}").json()["revision"]
        client.post(f"/api/designs/{newest}/edits", json=asked).raise_for_status()
    page_on.goto(f"{running.url}/floor/job/{job}")
    parts = page_on.get_by_role("main").get_by_role("button", name="Move")
    expect(page_on.get_by_text("42 designs")).to_be_visible()
    expect(parts).to_have_count(40)
    page_on.get_by_role("button", name="Those after").click()
    expect(parts).to_have_count(2)
    expect(page_on.get_by_role("region", name="Ebb")).to_be_visible()
    page_on.get_by_role("button", name="Those before").click()
    expect(parts).to_have_count(40)
    page_on.get_by_label("Name of a design").fill("ebb")
    expect(parts).to_have_count(1)
    page_on.get_by_role("region", name="Ebb").get_by_role("button", name="Move").click()
    page_on.get_by_role("button", name="A new job").click()
    expect(page_on.get_by_text("41 designs")).to_be_visible()
    expect(page_on.get_by_text("No design of this job is called so.")).to_be_visible()
