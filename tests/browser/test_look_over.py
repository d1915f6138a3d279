"""All designs of a job at once: what is plain is ready in one press, what is not stays; by the keys alone."""

from playwright.sync_api import Page, expect

from etiquette.demo.art import art_file
from tests.conftest import RunningEtiquette

SPARK = art_file("spark")[1]
OPEN_LINE = b"""<svg xmlns="http://www.w3.org/2000/svg" width="60mm" height="40mm" viewBox="0 0 60 40">
<rect x="5" y="5" width="50" height="30" fill="#286"/>
<g id="Kiss cut"><path d="M5 5 H55 V35 H15" fill="none" stroke="#e0f" stroke-width="0.1"/></g></svg>"""
SIZELESS = b"""<svg xmlns="http://www.w3.org/2000/svg" width="100%" height="100%" viewBox="0 0 60 40">
<rect x="5" y="5" width="50" height="30" fill="#826"/></svg>"""


def test_a_job_is_looked_over_and_what_is_plain_is_ready(page_on: Page, running: RunningEtiquette) -> None:
    with running.client() as client:
        job = None
        for name, content in [
            ("Red spark.png", SPARK), ("Tag.svg", OPEN_LINE), ("Blue spark.png", SPARK), ("Any size.svg", SIZELESS),
        ]:  # fmt: skip
            data = {"job_id": str(job)} if job else {"job_name": "Market stalls"}
            answer = client.post("/api/designs", files={"file": (name, content)}, data=data)
            job = answer.raise_for_status().json()["job_id"]
        page_on.goto(f"{running.url}/floor/job/{job}")
        page_on.get_by_role("button", name="Look over all of them at once").click()
        main = page_on.get_by_role("main", name="Lines of a job")
        card = {
            name: main.get_by_role("checkbox", name=name) for name in ("Red spark", "Tag", "Blue spark", "Any size")
        }
        expect(card["Blue spark"]).to_be_checked()  # its line was found without being asked for
        expect(card["Red spark"]).to_be_checked()
        expect(card["Tag"]).not_to_be_checked()
        expect(main.get_by_text("The line is open")).to_be_visible()
        expect(card["Any size"]).to_have_count(0)
        expect(main.get_by_text("its size is not known")).to_be_visible()
        # the last of them is left by the keys
        for key in ("ArrowRight", "ArrowRight", "ArrowRight"):
            page_on.keyboard.press(key)
        expect(card["Blue spark"]).to_be_focused()
        page_on.keyboard.press("Space")
        expect(card["Blue spark"]).not_to_be_checked()
        page_on.keyboard.press("Enter")
        expect(card["Red spark"]).to_have_count(0)  # it is ready, and is not among those that wait
        shown = {one["name"]: one for one in client.get(f"/api/lines/{job}").json()["cards"]}
        assert {name: one["ready"] for name, one in shown.items()} == {
            "Red spark": True, "Tag": False, "Blue spark": False, "Any size": False,
        }  # fmt: skip
        page_on.get_by_role("button", name="Width").click()
        field = page_on.get_by_role("textbox", name="Width")
        field.fill('2 1/2"')
        field.press("Enter")
        page_on.get_by_role("button", name="Make it so wide").click()
        expect(card["Any size"]).to_be_checked()
        assert client.get(f"/api/designs/{shown['Any size']['id']}").json()["document"]["width_mm"] == 63.5
        page_on.reload()
        expect(card["Blue spark"]).to_be_checked()
        expect(card["Any size"]).to_be_checked()
        page_on.get_by_role("heading", name="Market stalls").click()
        page_on.keyboard.press("a")  # all of them, the open line too: somebody has seen it
        expect(card["Tag"]).to_be_checked()
        page_on.keyboard.press("Enter")
        expect(main.get_by_text("All of it is ready.")).to_be_visible()
        page_on.get_by_role("button", name="On to the job").click()
        expect(page_on.get_by_role("button", name="Make a run of")).to_be_visible()
