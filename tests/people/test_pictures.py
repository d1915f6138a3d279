"""Codes for telephones and badges, drawn by librsvg and read as a camera would."""

import subprocess
from io import BytesIO

import numpy as np
import pytest
import zxingcpp
from PIL import Image

from etiquette.core.variable.codes import CodeKind
from etiquette.people import second
from etiquette.people.pictures import code_picture

ADDRESS = second.address_of("GEZDGNBVGY3TQOJQGEZDGNBVGY3TQOJQ", "Oriel Wren")


@pytest.mark.parametrize(("kind", "content"), [("qr", ADDRESS), ("code 128", "290711482913550214877306")])
def test_what_is_drawn_is_read(kind: CodeKind, content: str) -> None:
    drawn = subprocess.run(
        ["rsvg-convert", "--width", "600", "--keep-aspect-ratio"],
        input=code_picture(kind, content).encode(), capture_output=True, check=True,
    ).stdout  # fmt: skip
    (seen,) = zxingcpp.read_barcodes(np.asarray(Image.open(BytesIO(drawn)).convert("L")))
    assert seen.text == content
