"""A profile from its file to the plate: taken in, chosen in a print mode, written into what is sent, proofed."""

import json
from io import BytesIO

import numpy as np
import pikepdf
import pytest
from pikepdf import Dictionary, Name
from PIL import Image
from sqlalchemy import select
from sqlalchemy.orm import Session

from etiquette.core.errors import JobError
from etiquette.demo import ink_profile
from etiquette.stations import edits, line_finding, plate_sets, run_edits, runs
from etiquette.stations.lines import editing, taking_in
from etiquette.stations.print import plating, previews, sending
from etiquette.stations.print.colour_checks import colour_checks
from etiquette.stations.print.preflight import preflight
from etiquette.stations.print.reprints import reprint_checks
from etiquette.stations.run import nesting
from etiquette.stations.shelf import exchange, filling, keeping, profiles
from etiquette.stations.shelf.schemas import ThingNamed
from etiquette.stations.shop import Shop
from etiquette.store.models import Blob, ColourProfile, InkColour, Plate, PrintMode
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf
from tests.stations.test_only_printed import run_of
from tests.vector_art import MM, add_page, rect, saved

VINYL = ink_profile.profile("Invented inks on vinyl")


def add_mode(shop: Shop) -> int:
    def add(session: object) -> int:
        row = PrintMode(
            name="fine", stock_id=1, printer_id=1, dpi=720, passes=8, two_way=True,
            m2_per_hour=10, ink_ml_m2=9, drying_minutes=0,
        )  # fmt: skip
        session.add(row)  # type: ignore[attr-defined]
        session.flush()  # type: ignore[attr-defined]
        return row.id

    return shop.database.within(add)


def set_mode(shop: Shop, mode: int, **changes: object) -> None:
    version = shop.database.within(lambda session: session.get_one(PrintMode, mode).version)
    shop.database.within(lambda session: keeping.change(session, "print_mode", mode, version, changes))


def plate_of(shop: Shop, run: int) -> Plate:
    (made,) = do(shop, plating.make_plates, run_id=run)["plate_ids"]
    return shop.database.within(lambda session: plate_sets.plate_there(session, made))


@pytest.fixture
def shelf(shop: Shop) -> tuple[Shop, int]:
    """A shelf with one mode, and its number."""
    shop.database.within(fill_shelf)
    return shop, add_mode(shop)


def test_the_profile_of_the_mode_goes_into_the_plate_and_into_its_key(shelf: tuple[Shop, int]) -> None:
    shop, mode = shelf
    run = run_of(shop, "trueing-disc", way="only", laminator_id=None)
    without = plate_of(shop, run)
    assert without.summary.colour is None and without.summary.mode == "fine"
    with pytest.raises(JobError, match="made without a colour profile"):
        previews.preview_of(shop, without, "colour", "stock")
    profile = profiles.take(shop, VINYL, "vinyl.icc")
    set_mode(shop, mode, colour_profile_id=profile, intent="perceptual")
    by_profile = plate_of(shop, run)
    assert by_profile.id != without.id and by_profile.summary.colour is not None
    assert (by_profile.summary.colour.profile, by_profile.summary.colour.intent) == (
        "Invented inks on vinyl", "perceptual",
    )  # fmt: skip
    with pikepdf.open(BytesIO(shop.blobs.read(by_profile.pdf_sha))) as pdf:
        (intent,) = pdf.Root.OutputIntents
        assert intent.DestOutputProfile.read_bytes() == VINYL and intent.Info == "Invented inks on vinyl"
        first = pikepdf.parse_content_stream(pdf.pages[0])[0]
        assert [str(one) for one in first.operands] == ["/Perceptual"] and str(first.operator) == "ri"
    # a newer file under the same name is another plate, and the one before stays what it was
    newer = VINYL.replace(b"No copyright", b"no copyright")
    assert profiles.take(shop, newer, "newer.icc", instead_of=profile) == profile
    assert plate_of(shop, run).id not in (by_profile.id, without.id)
    state = shop.database.within(lambda session: runs.state_of(shop, session, run))
    assert state.kit.profile is not None and state.kit.profile.content_sha != by_profile.summary.colour.sha


def test_a_proof_has_the_stock_s_white_and_stripes_what_inks_do_not_reach(shelf: tuple[Shop, int]) -> None:
    shop, mode = shelf
    profile = profiles.take(shop, VINYL, "vinyl.icc")
    set_mode(shop, mode, colour_profile_id=profile)
    plate = plate_of(shop, run_of(shop, "jar-label", count=1, way="only", laminator_id=None))
    seen = pixels(previews.preview_of(shop, plate, "colour", "stock"))
    white = pixels(previews.preview_of(shop, plate, "colour"))
    bare = (white[..., :3] == 255).all(axis=-1)
    assert seen.shape[0] == pytest.approx(white.shape[0], abs=2)
    corner = seen[4:20, 4:20, :3].reshape(-1, 3).astype(int)
    assert bare[4:20, 4:20].all() and np.ptp(corner, axis=0).max() <= 1
    facts = shop.database.within(lambda session: session.get_one(ColourProfile, profile))
    red, _, blue = corner[0]
    assert 225 < red < 250 and blue < red and facts.white_b > 0  # a little yellow
    plan = plate.summary.plan
    at = previews.colours_of_place(shop, plate, 2.0, plan.length_mm - 2)
    assert at.plate == {"cyan": 0, "magenta": 0, "yellow": 0, "black": 0} and at.apart < 1 and at.reached
    assert at.stock[0] == pytest.approx(facts.white_l, abs=0.5)
    black = previews.colours_of_place(shop, plate, *middle_of(plan.arrow))
    assert black.plate["black"] == 100 and black.plate["cyan"] == 0  # marks are black ink alone
    with pytest.raises(JobError, match="lies beside the print"):
        previews.colours_of_place(shop, plate, -50, -50)
    part = pixels(previews.part_of(shop, plate, "colour", (0, 0, 30, 20), 100, "reach"))
    assert part.shape[:2] == (79, 118)


def middle_of(ring: tuple[tuple[float, float], ...]) -> tuple[float, float]:
    x, y = np.mean(ring, axis=0)
    return float(x), float(y)


def pixels(png: bytes) -> np.ndarray:
    with Image.open(BytesIO(png)) as image:
        return np.asarray(image.convert("RGB"))


def test_profiles_stand_on_the_shelf_like_everything_else(shelf: tuple[Shop, int]) -> None:
    shop, mode = shelf
    with signed_in(shop) as client:
        sent = client.post("/api/shelf/profiles", files={"file": ("vinyl.icc", VINYL)})
        made = sent.json()["id"]
        (told,) = sent.json()["shelf"]["colour_profile"]
        assert told["space"] == "CMYK" and told["ink_limit"] == pytest.approx(280, abs=3)
        assert client.get(f"/api/shelf/profiles/{made}/file").content == VINYL
        refused = client.post("/api/shelf/profiles", files={"file": ("photo.icc", b"\x89PNG" + bytes(300))})
        assert refused.status_code == 422 and "no ICC profile" in refused.json()["title"]
        again = client.post("/api/shelf/profiles", files={"file": ("vinyl.icc", VINYL)}).json()
        names = [one["name"] for one in again["shelf"]["colour_profile"]]
        assert names == ["Invented inks on vinyl", "Invented inks on vinyl 2"]
        assert client.post("/api/shelf/colour_profile", json={}).status_code == 422
    set_mode(shop, mode, colour_profile_id=made)
    with pytest.raises(JobError, match="still used: the print mode fine"):
        shop.database.within(lambda session: filling.remove(session, "colour_profile", made))
    with pytest.raises(JobError, match="not on the Shelf any more"):
        set_mode(shop, mode, colour_profile_id=4000)
    set_mode(shop, mode, colour_profile_id=None)
    shop.database.within(lambda session: filling.remove(session, "colour_profile", made))
    assert shop.database.within(lambda session: len(session.scalars(select(Blob)).all())) == 1  # the other one's


def test_a_shelf_file_names_the_profile_of_a_mode(shelf: tuple[Shop, int]) -> None:
    shop, mode = shelf
    made = profiles.take(shop, VINYL, "vinyl.icc")
    set_mode(shop, mode, colour_profile_id=made, intent="saturation")
    text = shop.database.within(lambda session: exchange.written(shop, session))
    (held,) = json.loads(text)["print_mode"]
    assert (held["colour_profile"], held["intent"], held["black_point"]) == (
        "Invented inks on vinyl", "saturation", True,
    )  # fmt: skip
    set_mode(shop, mode, colour_profile_id=None, intent="relative")
    chosen = [ThingNamed(kind="print_mode", name="fine")]
    exchange.take(shop, text, "a file", chosen)
    back = shop.database.within(lambda session: session.get_one(PrintMode, mode))
    assert (back.colour_profile_id, back.intent) == (made, "saturation")
    set_mode(shop, mode, colour_profile_id=None)
    shop.database.within(lambda session: filling.remove(session, "colour_profile", made))
    with pytest.raises(JobError, match="the profile Invented inks on vinyl, which is neither here"):
        exchange.take(shop, text, "a file", chosen)
    both = [ThingNamed(kind="colour_profile", name="Invented inks on vinyl"), *chosen]
    assert exchange.take(shop, text, "a file", both).model_dump() == {"added": 1, "changed": 1}
    (back,) = shop.database.within(lambda session: session.scalars(select(ColourProfile)).all())
    assert shop.blobs.read(back.content_sha) == VINYL and back.ink_limit == pytest.approx(280, abs=3)
    told = json.loads(text)
    told["colour_profile"][0]["icc"] = told["colour_profile"][0]["icc"][:1000]
    with pytest.raises(JobError, match="cut short"):
        exchange.take(shop, json.dumps(told), "a file", both)


def surprising_pdf() -> bytes:
    """40 × 30 mm: RGB and CMYK beside each other, 380 % of ink, white that overprints, a white hairline, small text."""
    pdf = pikepdf.new()
    font = Dictionary(Type=Name.Font, Subtype=Name.Type1, BaseFont=Name.Helvetica)
    content = (
        f"1 0.5 0 rg {rect(0, 0, 40, 30)} f 1 1 1 0.8 k {rect(5, 5, 20, 20)} f "
        f"q /Over gs 0 0 0 0 k {rect(10, 10, 5, 5)} f Q 1 G {0.1 * MM:.4f} w {rect(28, 5, 6, 20)} S "
        f"0 g BT /F 3 Tf {28 * MM:.3f} {26 * MM:.3f} Td (small) Tj ET"
    )
    resources = Dictionary(Font=Dictionary(F=font), ExtGState=Dictionary(Over=Dictionary(OP=True)))
    add_page(pdf, (40, 30), content, resources)
    return saved(pdf)


def test_what_surprises_in_colour_is_said_before_it_is_sent(shelf: tuple[Shop, int]) -> None:
    shop, mode = shelf
    (design,) = taking_in.take_in(shop, surprising_pdf(), "Tin.pdf", None, {"name": "Tin"})
    do(shop, line_finding.find_lines, design_id=design)
    run = shop.database.within(lambda session: run_edits.create(session, "Tins", [{"design_id": design, "count": 2}]))
    do(shop, nesting.nest_run, run_id=run, steps=1)

    def words() -> list[str]:
        plates = [plate_of(shop, run).summary]
        state = shop.database.within(lambda session: runs.state_of(shop, session, run))
        return [one.words for one in colour_checks(state, plates)]

    nobody = JobError("It does not answer.", "printer", "Switch it on.")
    state = shop.database.within(lambda session: runs.state_of(shop, session, run))
    looked_at = shop.database.within(lambda session: preflight(shop, session, state, nobody))
    assert any(one.words.startswith("Fonts are not in the file: Tin (Helvetica).") for one in looked_at)
    without = words()
    assert without[0].startswith("The print mode has no colour profile")
    assert (
        any("RGB: Tin. CMYK: Tin" in one for one in without) and "Text is smaller than 4.5 pt: Tin (3.0 pt)" in without
    )
    assert any("thinner than 0.2 mm: Tin (0.10 mm)" in one for one in without)
    assert any(one.startswith("White that overprints is not printed at all: Tin") for one in without)
    set_mode(shop, mode, colour_profile_id=profiles.take(shop, VINYL, "vinyl.icc"))
    set_mode(shop, mode, converts=True)
    converted = plate_of(shop, run).summary
    assert converted.colour is not None and converted.colour.converted
    assert converted.art[0].spaces == ("CMYK", "grey")  # what was RGB is inks now
    set_mode(shop, mode, converts=False)
    by_profile = words()
    assert by_profile[0] == "Colours for Invented inks on vinyl"
    assert by_profile[1] == "Ink on one place comes to 380 %; the profile gives 280 % at most. It may not dry"


def test_a_corrected_design_prints_so_and_its_art_and_lines_stay(shelf: tuple[Shop, int]) -> None:
    shop, mode = shelf
    run = run_of(shop, "radish", count=1, way="only", laminator_id=None)
    before = plate_of(shop, run)
    state = shop.database.within(lambda session: runs.state_of(shop, session, run))
    (design,) = state.designs
    changes = {"saturation": -100.0, "lightness": 40.0}
    shop.database.within(lambda session: editing.change(session, design, None, "colour", changes))
    now = shop.database.within(lambda session: runs.state_of(shop, session, run))
    assert now.fresh and now.designs[design].lines_key == state.designs[design].lines_key
    after = plate_of(shop, run)
    assert after.id != before.id
    was, became = (pixels(previews.preview_of(shop, one, "colour")).astype(int) for one in (before, after))
    coloured = np.ptp(was, axis=-1) > 40
    assert coloured.sum() > 1000 and np.ptp(became[coloured], axis=-1).max() <= 3
    assert became[coloured].mean() > was[coloured].mean() + 5
    with signed_in(shop) as client:
        art = client.get(f"/api/designs/{design}/picture")
        seen = pixels(client.get(f"/api/designs/{design}/seen/plate").content)
        assert (
            np.ptp(pixels(art.content).astype(int), axis=-1).max() > 40 and np.ptp(seen.astype(int), axis=-1).max() <= 2
        )
        refused = client.get(f"/api/designs/{design}/seen/stock", params={"mode": mode})
        assert refused.status_code == 422 and "no colour profile" in refused.json()["title"]
        set_mode(shop, mode, colour_profile_id=profiles.take(shop, VINYL, "vinyl.icc"))
        on_stock = pixels(client.get(f"/api/designs/{design}/seen/stock", params={"mode": mode}).content)
        assert on_stock[0, 0, 2] < on_stock[0, 0, 0] < 250  # the stock's own white
    shop.database.within(lambda session: run_edits.change(session, run, None, "colour", {"contrast": 30.0}))
    assert plate_of(shop, run).id not in (before.id, after.id)  # of the run, on top
    revision = now.designs[design].design.revision
    shop.database.within(lambda session: edits.step(session, "design", design, revision, "undo"))
    assert plate_of(shop, run).id not in (after.id,)


def test_a_reprint_says_what_is_other_than_the_last_time(shelf: tuple[Shop, int]) -> None:
    shop, mode = shelf
    run = run_of(shop, "radish", count=2, way="only", laminator_id=None)

    def said() -> list[str]:
        state = shop.database.within(lambda session: runs.state_of(shop, session, run))
        return [one.words for one in shop.database.within(lambda session: reprint_checks(session, state))]

    def print_it(key: str) -> None:
        plate = plate_of(shop, run).id
        revision = shop.database.within(lambda session: runs.state_of(shop, session, run)).run.revision
        shop.database.within(lambda session: sending.printed_elsewhere(shop, session, plate, revision, key))

    assert said() == []
    print_it("first one")
    assert said() == ["As it was printed before: stock, mode, profile and lot"]
    profile = profiles.take(shop, VINYL, "vinyl.icc")
    set_mode(shop, mode, colour_profile_id=profile)
    name = shop.database.within(lambda session: next(iter(runs.state_of(shop, session, run).designs.values())))
    (words,) = said()
    assert words == (
        f"Printed before with no profile, now Invented inks on vinyl: {name.document.name}. Colours may differ"
    )
    print_it("second one")
    assert said() == ["As it was printed before: stock, mode, profile and lot"]
    set_mode(shop, mode, intent="perceptual")
    assert "another file or use of the profile Invented inks on vinyl" in said()[0]
    set_mode(shop, mode, intent="relative", name="finest")
    assert "mode fine, now finest" in said()[0]


def test_a_replaced_colour_is_printed_as_the_shop_s_and_its_places_are_shown(shelf: tuple[Shop, int]) -> None:
    shop, _ = shelf
    inks = {"cyan": 100, "magenta": 0, "yellow": 0, "black": 0}
    ink = shop.database.within(lambda session: _kept(session, InkColour(name="House blue", **inks)))
    run = run_of(shop, "radish", count=1, way="only", laminator_id=None)
    state = shop.database.within(lambda session: runs.state_of(shop, session, run))
    (design,) = state.designs
    art = pixels(shop.blobs.read(state.designs[design].art.picture_sha))
    rose = art[art.shape[0] * 55 // 100, art.shape[1] // 2]
    colour = "#" + "".join(f"{one:02x}" for one in rose)
    asked = {"replaced": [{"colour": colour, "to": f"ink {ink}", "within": 3}]}
    shop.database.within(lambda session: editing.change(session, design, None, "colour", asked))
    plate = plate_of(shop, run)
    seen = pixels(previews.preview_of(shop, plate, "colour")).astype(int)
    was = pixels(shop.blobs.read(state.designs[design].art.picture_sha)).astype(int)
    assert (np.abs(was - rose).max(axis=-1) < 3).sum() > 5000
    assert (np.abs(seen - rose).max(axis=-1) < 3).sum() < 50  # nothing of it is left
    assert ((seen[..., 2] > 200) & (seen[..., 0] < 40)).sum() > 5000
    with signed_in(shop) as client:
        shown = pixels(client.get(f"/api/designs/{design}/seen/plate", params={"mark": 0}).content)
    striped = (shown == (128, 76, 209)).all(axis=-1)
    assert 0.2 < striped.sum() / (np.abs(was - rose).max(axis=-1) < 3).sum() < 0.7
    with pytest.raises(JobError, match="still used: the design"):
        shop.database.within(lambda session: filling.remove(session, "ink_colour", ink))


def _kept(session: Session, row: InkColour) -> int:
    session.add(row)
    session.flush()
    return row.id
