"""Colour: how near conversion comes to its published formula, and what a soft proof takes beside LittleCMS's own.

    python -m benchmarks.colour [--side 4000] [--rounds 3]

1. A thousand colours of sRGB through a matrix profile that nobody here wrote (Ghostscript's), beside the formula of
   ISO 15076-1, annex F.3: CIEDE2000 of what comes out in eight bits, and of the nearest that eight bits can hold.
2. A picture of noise, side × side pixels: the proof with its distances (one table of LittleCMS's answers), in turn with
   the reference: LittleCMS's proofing transform and its own check of reach over every pixel.
"""

import argparse
import json
import statistics
import struct
import time
from pathlib import Path

import numpy as np
from PIL import Image, ImageCms

from etiquette.core.artwork.colour import ciede2000
from etiquette.core.printing.icc import opened
from etiquette.core.printing.profiles import ProofWish
from etiquette.core.printing.soft_proof import SoftProof, tinted
from etiquette.demo import ink_profile

MATRIX = Path("/usr/share/color/icc/ghostscript/a98.icc")
SRGB_XYZ = np.array(
    [[0.4360747, 0.3850649, 0.1430804], [0.2225045, 0.7168786, 0.0606169], [0.0139322, 0.0971045, 0.7141733]]
)
"""IEC 61966-2-1, adapted to D50 by the Bradford transform."""
D50 = np.array([0.9642, 1.0, 0.8249])


def lab(linear: np.ndarray, primaries: np.ndarray) -> np.ndarray:
    relative = linear @ primaries.T / D50
    f = np.where(relative > 0.008856, np.cbrt(relative), 7.787 * relative + 16 / 116)
    return np.stack([116 * f[:, 1] - 16, 500 * (f[:, 0] - f[:, 1]), 200 * (f[:, 1] - f[:, 2])], axis=-1)


def tag(profile: bytes, name: bytes) -> bytes:
    (count,) = struct.unpack(">I", profile[128:132])
    entries = (struct.unpack(">4sII", profile[132 + 12 * n : 144 + 12 * n]) for n in range(count))
    return next(profile[at : at + size] for found, at, size in entries if found == name)


def by_formula() -> dict[str, float]:
    profile = MATRIX.read_bytes()
    gamma = struct.unpack(">H", tag(profile, b"rTRC")[12:14])[0] / 256
    columns = [struct.unpack(">3i", tag(profile, name)[8:20]) for name in (b"rXYZ", b"gXYZ", b"bXYZ")]
    primaries = np.array(columns).T / 65536
    colours = np.random.default_rng(7).integers(0, 256, (1000, 3))
    levels = colours / 255
    linear = np.where(levels <= 0.04045, levels / 12.92, ((levels + 0.055) / 1.055) ** 2.4)
    exact = np.clip(linear @ SRGB_XYZ.T @ np.linalg.inv(primaries).T, 0, 1) ** (1 / gamma)
    wish = ProofWish(profile, "RGB", "relative", black_point=False)
    made = np.asarray(SoftProof(wish).inks_of(Image.fromarray(colours[None].astype(np.uint8))))[0] / 255
    asked = lab(linear, SRGB_XYZ)
    nearest = np.round(255 * exact) / 255
    ours = ciede2000(asked, lab(made**gamma, primaries))
    best = ciede2000(asked, lab(nearest**gamma, primaries))
    return {
        "de2000_median": round(float(np.median(ours)), 3),
        "de2000_p95": round(float(np.percentile(ours, 95)), 3),
        "de2000_max": round(float(ours.max()), 3),
        "nearest_in_8_bits_max": round(float(best.max()), 3),
    }


def proofs(side: int, rounds: int) -> dict[str, float]:
    art = Image.fromarray(np.random.default_rng(1).integers(0, 256, (side, side, 3), dtype=np.uint8))
    content = ink_profile.profile("Invented inks")
    inks, screen = opened(content, "inks"), ImageCms.createProfile("sRGB")
    absolute = ImageCms.Intent.ABSOLUTE_COLORIMETRIC
    ours, theirs = [], []
    for _ in range(rounds):
        start = time.perf_counter()
        tinted(*SoftProof(ProofWish(content, "CMYK")).of_art(art))
        ours.append(time.perf_counter() - start)
        start = time.perf_counter()
        for flags in (ImageCms.Flags.SOFTPROOFING, ImageCms.Flags.SOFTPROOFING | ImageCms.Flags.GAMUTCHECK):
            through = ImageCms.buildProofTransform(screen, screen, inks, "RGB", "RGB", 1, absolute, flags)
            ImageCms.applyTransform(art, through)
        theirs.append(time.perf_counter() - start)
    own, reference = statistics.median(ours), statistics.median(theirs)
    return {"proof_s": round(own, 2), "reference_s": round(reference, 2), "ratio": round(own / reference, 2)}


def main() -> None:
    asked = argparse.ArgumentParser(description=__doc__)
    asked.add_argument("--side", type=int, default=4000)
    asked.add_argument("--rounds", type=int, default=3)
    told = asked.parse_args()
    print(json.dumps({"matrix": by_formula(), "proof": proofs(told.side, told.rounds)}))


if __name__ == "__main__":
    main()
