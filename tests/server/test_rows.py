"""Rows of a design over the API: a table taken in, read another way, looked at row by row and as a whole."""

from collections.abc import Iterator
from io import BytesIO
from typing import Any

import httpx
import numpy as np
import pytest
import zxingcpp
from PIL import Image

from etiquette.stations.lines import taking_in, tasks
from etiquette.stations.lines.rows_schemas import RowsChecked
from etiquette.stations.shop import Shop
from tests.outside.test_row_text import a_font
from tests.signed_in import signed_in
from tests.stations.shop_floor import do, fill_shelf

TEXT = {"what": "text", "name": "Name", "says": "{Name}", "x_mm": 2, "y_mm": 10, "width_mm": 20, "height_mm": 6}
CODE = {"what": "code", "name": "Code", "says": "{No}", "x_mm": 24, "y_mm": 3, "width_mm": 14, "height_mm": 14}
TABLE = "No;Name\nK-001;Ann\nK-002;Öz Gürsel\nK-002;A name much too long for its place on the plate\nK-004\n"


@pytest.fixture
def client(shop: Shop) -> Iterator[httpx.Client]:
    shop.database.within(fill_shelf)
    with signed_in(shop) as made:
        yield made


def plate(shop: Shop) -> int:
    out = BytesIO()
    Image.new("RGB", (400, 200), (232, 226, 210)).save(out, "PNG")
    wanted = {"width_mm": 40.0, "due_count": 3, "ready": True, "follow": "page", "offset_mm": 0.0}
    (design,) = taking_in.take_in(shop, out.getvalue(), "plate.png", None, wanted)
    return design


def right(answer: httpx.Response) -> Any:
    assert answer.status_code == 200, answer.text
    return answer.json()


def take(client: httpx.Client, design: int, content: bytes, name: str = "bells.csv") -> Any:
    revision = right(client.get(f"/api/designs/{design}"))["revision"]
    return right(client.put(f"/api/rows/{design}/table", files={"file": (name, content)}, data={"revision": revision}))


def put(client: httpx.Client, design: int, **changes: Any) -> Any:
    shown = right(client.get(f"/api/designs/{design}"))
    rows = {**(shown["document"]["rows"] or {}), **changes}
    asked = {"revision": shown["revision"], "words": "as asked", "changes": {"rows": rows}}
    return right(client.post(f"/api/designs/{design}/edits", json=asked))


def test_a_table_is_read_shown_read_otherwise_and_undone(shop: Shop, client: httpx.Client) -> None:
    design = plate(shop)
    assert right(client.get(f"/api/rows/{design}"))["count"] == 3  # as many as are due
    shown = take(client, design, TABLE.encode("cp1252"))
    assert shown["document"]["due_count"] == 4
    rows = right(client.get(f"/api/rows/{design}"))
    table = rows["table"]
    assert (table["encoding"], table["delimiter"], table["header"], rows["printed"]) == ("cp1252", ";", True, 4)
    assert [one["row"] for one in table["odd"]] == [4]
    assert right(client.get(f"/api/rows/{design}/2"))["cells"] == {"No": "K-002", "Name": "Öz Gürsel"}
    how = {"encoding": "cp1251", "delimiter": ";", "header": False, "sheet": None}
    again = right(client.post(f"/api/rows/{design}/table/reading", json={"revision": shown["revision"], "how": how}))
    assert right(client.get(f"/api/rows/{design}/3"))["cells"]["Column 2"].startswith("Ц")  # read as Cyrillic
    right(client.post(f"/api/designs/{design}/undo", json={"revision": again["revision"]}))
    assert right(client.get(f"/api/rows/{design}/2"))["cells"]["Name"] == "Öz Gürsel"


def test_every_row_is_looked_at_and_what_is_wrong_is_named(shop: Shop, client: httpx.Client) -> None:
    design = plate(shop)
    take(client, design, TABLE.encode())
    put(client, design, fields=[TEXT, {**CODE, "unique": True}])
    found = RowsChecked.model_validate(do(shop, tasks.check_rows.work, design_id=design))
    told = {(one.row, one.field): one.why for one in found.troubles}
    assert "does not fit" in told[3, "Name"]
    assert told[3, "Code"] == "“K-002” stands in row 2 already."
    assert told[4, ""] == "It has 1 cells where the table has 2 columns."
    assert told[4, "Name"] == "It is empty."
    assert (found.rows, found.count, found.bad) == (4, 4, [3, 4])
    put(client, design, left_out=[3, 4])
    found = RowsChecked.model_validate(do(shop, tasks.check_rows.work, design_id=design))
    assert (found.rows, found.count) == (2, 0)
    assert right(client.get(f"/api/rows/{design}"))["printed"] == 2


def test_rows_past_those_that_are_named_stop_the_print_too(shop: Shop, client: httpx.Client) -> None:
    """1,000 odd rows are named one by one; with all of these left out the 1,001st must not be printed unseen."""
    design = plate(shop)
    take(client, design, b"No;Name\n" + b"K-1;Ann;more\n" * 1001 + b"K-2;Bo\n" * 3)
    put(client, design, fields=[TEXT], left_out=list(range(1, 1001)))
    found = RowsChecked.model_validate(do(shop, tasks.check_rows.work, design_id=design))
    assert [one.why for one in found.troubles] == [
        "One more row is not as the others: mend the table, or choose what stands between its cells."
    ]


def test_a_table_below_a_title_begins_where_it_is_said_to(shop: Shop, client: httpx.Client) -> None:
    design = plate(shop)
    shown = take(client, design, b"Orders of May;;\nNo;Name;Pieces\nK-1;Ann;3\nK-2;Bo;4\n")
    table = right(client.get(f"/api/rows/{design}"))["table"]
    assert (table["begins"], table["header"], table["count"]) == (2, True, 2)
    how = {"encoding": "utf-8", "delimiter": ";", "header": False, "sheet": None, "begins": 3}
    right(client.post(f"/api/rows/{design}/table/reading", json={"revision": shown["revision"], "how": how}))
    assert right(client.get(f"/api/rows/{design}/1"))["cells"]["Column 2"] == "Ann"


def test_a_row_is_drawn_as_it_prints(shop: Shop, client: httpx.Client) -> None:
    design = plate(shop)
    take(client, design, TABLE.encode())
    put(client, design, fields=[CODE])
    answer = client.get(f"/api/rows/{design}/1/picture")
    picture = Image.open(BytesIO(answer.content)).convert("RGBA")
    assert picture.width / picture.height == pytest.approx(2, abs=0.01)
    white = Image.new("RGBA", picture.size, "white")
    white.alpha_composite(picture)
    found = zxingcpp.read_barcode(np.asarray(white.convert("L")))
    assert found.text == "K-001"
    across = sum((found.position.top_left.x, found.position.bottom_right.x)) / 2 / picture.width * 40
    assert across == pytest.approx(31, abs=0.4)  # the middle of its box, 24 + 14 / 2


@pytest.mark.parametrize(
    ("field", "why"),
    [
        ({**TEXT, "says": "{Nome}"}, "There is no column “Nome”. Columns are: No, Name, Row."),
        ({**TEXT, "says": "{__import__('os')}"}, "There is no such function."),
        ({**TEXT, "font": "Kite Sans"}, "There is no font “Kite Sans”."),
        ({**TEXT, "says": "{Name + 1}"}, "“Ann” is not a number."),
        ({**CODE, "kind": "ean-13"}, "“K-001” cannot be EAN-13, which is made of digits."),
        ({"what": "picture", "name": "P", "says": "{Name}.png"}, "There is no picture “Ann.png”."),
    ],
)
def test_a_field_that_cannot_be_filled_says_why_and_stays(
    shop: Shop, client: httpx.Client, field: dict[str, Any], why: str
) -> None:
    design = plate(shop)
    take(client, design, TABLE.encode())
    put(client, design, fields=[field])
    row = right(client.get(f"/api/rows/{design}/1"))
    assert row["troubles"][0]["why"].startswith(why)
    assert row["cells"]["Name"] == "Ann"
    assert client.get(f"/api/rows/{design}/1/picture").status_code == 200


def test_what_is_no_table_is_refused_and_what_was_there_stays(shop: Shop, client: httpx.Client) -> None:
    design = plate(shop)
    shown = take(client, design, TABLE.encode())
    for content in (b"", b"\x89PNG\r\n\x1a\n\0\0", b"PK\x03\x04" + bytes(40)):
        answer = client.put(
            f"/api/rows/{design}/table",
            files={"file": ("bad.csv", content)},
            data={"revision": shown["revision"]},
        )
        assert answer.status_code == 422
        assert answer.json()["do"]
    stale = client.put(f"/api/rows/{design}/table", files={"file": ("b.csv", b"a\n1\n")}, data={"revision": 0})
    assert stale.status_code == 409
    assert right(client.get(f"/api/rows/{design}"))["table"]["file_name"] == "bells.csv"


def test_a_font_of_the_shop_is_kept_and_a_forbidden_one_refused(shop: Shop, client: httpx.Client) -> None:
    design = plate(shop)
    assert right(client.post("/api/rows/fonts", files={"file": ("kite.ttf", a_font(0))})) == {"name": "Kite Regular"}
    right(client.post("/api/rows/fonts", files={"file": ("kite.ttf", a_font(4))}))  # a newer one of the name
    assert right(client.get(f"/api/rows/{design}"))["fonts"].count("Kite Regular") == 1
    put(client, design, fields=[{**TEXT, "says": "A", "font": "Kite Regular"}])
    assert right(client.get(f"/api/rows/{design}/1"))["troubles"] == []
    refused = client.post("/api/rows/fonts", files={"file": ("kite.ttf", a_font(2))})
    assert refused.status_code == 422
    assert "forbid" in refused.json()["title"]


def test_serials_count_without_a_table_and_pictures_are_those_of_the_job(shop: Shop, client: httpx.Client) -> None:
    design = plate(shop)
    job = right(client.get(f"/api/designs/{design}"))["job_id"]
    out = BytesIO()
    Image.new("RGB", (30, 30), (200, 20, 60)).save(out, "PNG")
    right(client.post(f"/api/jobs/{job}/files", files=[("file", ("Bird 2.png", out.getvalue()))]))
    serial = {"name": "Serial", "start": 2, "prefix": "Bird "}
    bird = {"what": "picture", "name": "P", "says": "{Serial}.png", "width_mm": 10, "height_mm": 10}
    put(client, design, serials=[serial], fields=[bird])
    assert right(client.get(f"/api/rows/{design}/1"))["troubles"] == []
    assert right(client.get(f"/api/rows/{design}/2"))["troubles"][0]["why"] == "There is no picture “Bird 3.png”."
    picture = Image.open(BytesIO(client.get(f"/api/rows/{design}/1/picture").content)).convert("RGBA")
    assert picture.getpixel((round(picture.width * 5 / 40), round(picture.height * 15 / 20))) == (200, 20, 60, 255)
