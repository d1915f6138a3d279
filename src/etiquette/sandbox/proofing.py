"""Plates seen as on their stock, each in a child of its own: Ghostscript separates the very PDF that is sent, and what
the inks look like is shown (core.printing.soft_proof)."""

import subprocess
import tempfile
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from etiquette.core.errors import JobError
from etiquette.core.printing.corrections import Correction, Replaced
from etiquette.core.printing.intents import INTENTS
from etiquette.core.printing.previews import MOST_PART_PIXELS, PREVIEW_PIXELS
from etiquette.core.printing.profiles import ProofWish
from etiquette.core.units import MM_PER_INCH, MM_PER_POINT
from etiquette.sandbox.door import Limits, ask

if TYPE_CHECKING:
    from PIL import Image

    from etiquette.core.printing.soft_proof import SoftProof

LIMITS = Limits(seconds=120.0, bytes=4 << 30)
"""A plate is our own file, but it holds the customer's art; it is drawn twice, as inks and as colours."""
Box = tuple[float, float, float, float]
DEVICES = {"CMYK": "tiff32nc", "RGB": "tiff24nc", "GRAY": "tiffgray"}
SEEN_PIXELS = 2_400
"""The longer side of a picture that is looked at."""
SPOT_MM, SPOT_DPI = 0.6, 150.0
"""What is taken for one place: a mean, as a person's eye or an instrument takes it."""


@dataclass(frozen=True)
class PlaceColours:
    """One place of a plate: the art's colour and what it looks like on the stock, L*a*b*, how far apart they are
    (CIEDE2000) and whether that counts as reached, and the plate's inks in percent by name."""

    art: tuple[float, float, float]
    stock: tuple[float, float, float]
    apart: float
    reached: bool
    plate: dict[str, float]


def proof_of_file(
    pdf: Path, wish: ProofWish, tint: bool, box: Box | None = None, dpi: float | None = None
) -> tuple[bytes, float]:
    """PNG of the first page, or of the stretch `box` (x, y, width, height in mm from the lower left), as on the stock,
    and its dots an inch; `tint`: with stripes where the inks do not reach the colour. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-proof-") as folder:
        said = _asked("proof", Path(folder), pdf, wish, {"box": box, "dpi": dpi, "tint": tint})
        return (Path(folder) / "picture.png").read_bytes(), said["dpi"]


def colours_at(pdf: Path, wish: ProofWish, x_mm: float, y_mm: float) -> PlaceColours:
    """The colours at one place of the first page, from its lower left. Raises JobError."""
    half = SPOT_MM / 2
    with tempfile.TemporaryDirectory(prefix="etq-proof-") as folder:
        note = {"box": (x_mm - half, y_mm - half, SPOT_MM, SPOT_MM), "dpi": SPOT_DPI}
        said = _asked("colours", Path(folder), pdf, wish, note)
        return PlaceColours(tuple(said["art"]), tuple(said["stock"]), said["apart"], said["reached"], said["plate"])


AS_IT_CAME = Correction()


@dataclass(frozen=True)
class Changed:
    """How the colours of a picture are changed before it is looked at; `mark`: the places of this replacement alone are
    striped, and nothing is changed."""

    replaced: tuple[Replaced, ...] = ()
    correction: Correction = AS_IT_CAME
    mark: Replaced | None = None


def picture_seen(
    png: Path, changed: Changed, wish: ProofWish | None = None, tint: bool = False, most_px: int = SEEN_PIXELS
) -> bytes:
    """PNG of a picture of our own with its colours changed, and with `wish` as on the stock; its longer side no more
    than `most_px`: what a screen shows. Raises JobError."""
    with tempfile.TemporaryDirectory(prefix="etq-proof-") as folder:
        note: dict[str, Any] = {"png": str(png), "changed": asdict(changed), "tint": tint, "most_px": most_px}
        if wish is not None:
            (Path(folder) / "profile.icc").write_bytes(wish.profile)
            note["wish"] = {key: value for key, value in asdict(wish).items() if key != "profile"}
        ask("picture seen", Path(folder), note, LIMITS, "picture", reads=[png])
        return (Path(folder) / "picture.png").read_bytes()


def _asked(job: str, folder: Path, pdf: Path, wish: ProofWish, note: dict[str, Any]) -> dict[str, Any]:
    (folder / "profile.icc").write_bytes(wish.profile)
    how = {key: value for key, value in asdict(wish).items() if key != "profile"}
    return ask(job, folder, {**note, "pdf": str(pdf), "wish": how}, LIMITS, "proof", reads=[pdf])


# --- the child


def draw_proof(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    from PIL import Image

    from etiquette.core.printing.soft_proof import tinted

    seen, inks, art, dpi = _separated(folder, note)
    picture = seen.of_inks(inks)
    if note["tint"]:
        with Image.open(art) as drawn:
            picture = tinted(picture, seen.missed(drawn.convert("RGB")))
    picture.save(folder / "picture.png", compress_level=3)
    return {"dpi": dpi}


def draw_picture(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    from PIL import Image

    from etiquette.core.printing.corrected import Corrected
    from etiquette.core.printing.replaced import Replacing
    from etiquette.core.printing.soft_proof import SoftProof, tinted

    with Image.open(note["png"]) as held:
        picture = held.convert("RGBA")
    picture.thumbnail((note["most_px"], note["most_px"]))
    asked = note["changed"]
    if asked["mark"]:
        _striped(picture, Replaced(**asked["mark"])).save(folder / "picture.png", compress_level=1)
        return {}
    if asked["replaced"]:
        picture = Replacing([Replaced(**one) for one in asked["replaced"]]).pixels(picture)
    if correction := Correction(**asked["correction"]):
        picture = Corrected(correction).pixels(picture)
    if "wish" in note:
        wish = ProofWish((folder / "profile.icc").read_bytes(), **note["wish"])
        seen, missed = SoftProof(wish).of_art(_on_white(picture))
        picture = tinted(seen, missed) if note["tint"] else seen
    picture.save(folder / "picture.png", compress_level=1)
    return {}


def _striped(picture: "Image.Image", one: Replaced) -> "Image.Image":
    """The places that a replacement reaches."""
    import numpy as np

    from etiquette.core.printing.replaced import reach
    from etiquette.core.printing.soft_proof import tinted

    there = (reach(np.asarray(picture), one) > 0.5) & (np.asarray(picture)[..., 3] > 0)
    return tinted(_on_white(picture), np.where(there, 255, 0).astype(np.uint8))


def _on_white(picture: "Image.Image") -> "Image.Image":
    """What is clear shows the bare stock."""
    from PIL import Image

    ground = Image.new("RGB", picture.size, (255, 255, 255))
    ground.paste(picture, mask=picture.getchannel("A"))
    return ground


def place_colours(folder: Path, note: dict[str, Any]) -> dict[str, Any]:
    import numpy as np
    from PIL import Image

    from etiquette.core.artwork.colour import ciede2000
    from etiquette.core.printing.soft_proof import REACHED_WITHIN

    seen, inks, art, _ = _separated(folder, {**note, "tint": True})
    with Image.open(art) as drawn:
        asked = seen.asked(drawn.convert("RGB")).reshape(-1, 3).mean(axis=0)
    on_stock = seen.on_stock(inks).reshape(-1, 3).mean(axis=0)
    reached = seen.on_stock(inks, own_white=False).reshape(-1, 3).mean(axis=0)
    apart = float(ciede2000(asked, reached))
    levels = np.asarray(inks, dtype=np.float64).reshape(inks.width * inks.height, -1).mean(axis=0) / 255
    names = {"CMYK": ("cyan", "magenta", "yellow", "black"), "RGB": ("red", "green", "blue"), "L": ("grey",)}
    return {
        "art": [round(float(one), 1) for one in asked],
        "stock": [round(float(one), 1) for one in on_stock],
        "apart": round(apart, 1),
        "reached": apart <= REACHED_WITHIN,
        "plate": {name: round(100 * float(one), 1) for name, one in zip(names[inks.mode], levels, strict=True)},
    }


def _separated(folder: Path, note: dict[str, Any]) -> "tuple[SoftProof, Image.Image, Path, float]":
    """The stretch that is asked for as inks, and the file of the same as colours in a wide RGB, with its dots an
    inch."""
    from PIL import Image

    from etiquette.core.printing.icc_files import wide_profile
    from etiquette.core.printing.soft_proof import SoftProof

    wish = ProofWish((folder / "profile.icc").read_bytes(), **note["wish"])
    (folder / "wide.icc").write_bytes(wide_profile())
    dpi = _stretch(folder, Path(note["pdf"]), note["box"], note["dpi"])
    runs = [_ghostscript(folder, DEVICES[wish.space], "profile.icc", "inks.tif", dpi, wish)]
    if note["tint"]:  # colours as the art has them: by the numbers, whatever the mode makes of them
        plain = ProofWish(wish.profile, wish.space, "relative", black_point=False)
        runs.append(_ghostscript(folder, "tiff24nc", "wide.icc", "art.tif", dpi, plain))
    if any(run.wait() for run in runs):
        raise JobError("The plate cannot be separated.", "proof", "Look at the plate as it is sent.")
    Image.MAX_IMAGE_PIXELS = None  # our own picture, bounded above
    with Image.open(folder / "inks.tif") as drawn:
        drawn.load()
        return SoftProof(wish, wide_profile()), drawn.copy(), folder / "art.tif", dpi


def _stretch(folder: Path, pdf: Path, box: Box | None, dpi: float | None) -> float:
    """The page cut to `box`, its pictures no finer than is drawn, as plate.pdf; returns the dots an inch."""
    import pikepdf

    from etiquette.core.printing.coarser import coarser

    with pikepdf.open(pdf) as document:
        page = document.pages[0]
        unit = float(page.get("/UserUnit", 1)) * MM_PER_POINT
        left, low, right, top = (float(value) * unit for value in page.MediaBox)
        if box is not None:
            left, low = max(left, box[0]), max(low, box[1])
            right, top = min(right, box[0] + box[2]), min(top, box[1] + box[3])
        if right <= left or top <= low:
            raise JobError("This stretch lies beside the print.", "proof", "Move the view back over it.")
        longest, area = max(right - left, top - low) / MM_PER_INCH, (right - left) * (top - low) / MM_PER_INCH**2
        dpi = min(dpi or PREVIEW_PIXELS / longest, (MOST_PART_PIXELS / area) ** 0.5)
        coarser(document, dpi * unit / MM_PER_POINT)
        page.MediaBox = pikepdf.Array([round(value / unit, 4) for value in (left, low, right, top)])
        for other in ("/CropBox", "/TrimBox", "/BleedBox", "/ArtBox"):
            if other in page:
                del page[other]
        document.save(folder / "plate.pdf")
    return dpi


def _ghostscript(
    folder: Path, device: str, to: str, out: str, dpi: float, wish: ProofWish
) -> "subprocess.Popen[bytes]":
    """Numbers of inks in the art are those of the profile: they stay as they are."""
    own = [f"-sDefaultCMYKProfile={folder / 'profile.icc'}"] if wish.space == "CMYK" else []
    smooth = ["-dTextAlphaBits=4", "-dGraphicsAlphaBits=4"]
    command = [
        "gs", "-q", "-dSAFER", f"--permit-file-read={folder}/", "-dBATCH", "-dNOPAUSE", "-dLastPage=1",
        f"-sDEVICE={device}", f"-r{dpi:.4f}", *smooth, f"-sOutputICCProfile={folder / to}", *own,
        f"-dRenderIntent={INTENTS.index(wish.intent)}", f"-dBlackPtComp={int(wish.black_point)}",
        "-o", out, "plate.pdf",
    ]  # fmt: skip
    return subprocess.Popen(command, cwd=folder, stdin=subprocess.DEVNULL)
