"""Jobs on the screen: a day and a customer are given, a design moves, what is missing becomes a run; a frame code and a
machine are found."""

import re

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
    expect(page_on.get_by_text("Dec 24")).to_be_visible()
    page_on.get_by_label("Customer").first.fill("Night market")
    page_on.get_by_label("Customer").first.press("Enter")
    expect(page_on.get_by_text("All jobs · Night market")).to_be_visible()
    number = int(page_on.url.rsplit("/", 1)[1])
    job = running.get(f"/api/jobs/{number}").json()
    assert (job["due"], job["customer"]) == ("2076-12-24", "Night market")

    page_on.get_by_role("button", name="Move").click()
    page_on.get_by_role("button", name="A new job").click()
    expect(page_on.get_by_text("No art belongs to this job")).to_be_visible()
    page_on.get_by_role("button", name="Take this job away").click()
    page_on.get_by_role("heading", name="All jobs").wait_for()
    page_on.get_by_label("Name or customer").fill("night market")
    page_on.get_by_label("Month").fill("2076-12")
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
