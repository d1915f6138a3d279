"""Vector art kept between reading and use: painted paths as compressed JSON, lengths in mm."""

import gzip
import json
from collections.abc import Mapping
from typing import Any

import numpy as np
from shapely import Polygon

from etiquette.core.artwork.vectors import Ink, PaintedPath, VectorPage
from etiquette.core.geometry.paths import Path

DECIMALS = 4


def write_vectors(page: VectorPage) -> bytes:
    """The page without its clips and pictures: what line rules and lines need."""
    note = {
        "size": [page.width_mm, page.height_mm],
        "size_known": page.size_known,
        "texts": page.texts,
        "hidden": list(page.hidden),
        "undrawn": list(page.undrawn),
        "unreached": list(page.unreached),
        "unreached_layers": list(page.unreached_layers),
        "paths": [_path_note(path) for path in page.paths],
    }
    return gzip.compress(json.dumps(note).encode(), 6, mtime=0)


def read_vectors(content: bytes) -> VectorPage:
    """Painted paths as `write_vectors` kept them."""
    note = json.loads(gzip.decompress(content))
    paths = tuple(_path_from(number, entry) for number, entry in enumerate(note["paths"]))
    width, height = note["size"]
    return VectorPage(
        width,
        height,
        note["size_known"],
        paths,
        texts=note["texts"],
        hidden=tuple(note["hidden"]),
        undrawn=tuple(note.get("undrawn", ())),
        unreached=tuple(note.get("unreached", ())),
        unreached_layers=tuple(note.get("unreached_layers", ())),
    )


def _path_note(path: PaintedPath) -> dict[str, Any]:
    return {
        "n": path.number,
        "p": [
            [
                np.round(one.start, DECIMALS).tolist(),
                [np.round(s.ravel(), DECIMALS).tolist() for s in one.segments],
                one.closed,
            ]
            for one in path.paths
        ],
        "fill": [path.fill.colour, *path.fill.spots] if path.fill else None,
        "stroke": [path.stroke.colour, *path.stroke.spots] if path.stroke else None,
        "width": round(path.stroke_mm, DECIMALS),
        "layers": list(path.layers),
        "step": path.step,
    }


def _path_from(number: int, note: dict[str, Any]) -> PaintedPath:
    paths = tuple(
        Path(np.array(start, dtype=float), tuple(np.array(s, dtype=float).reshape(-1, 2) for s in segments), closed)
        for start, segments, closed in note["p"]
    )
    fill, stroke = (Ink(ink[0], tuple(ink[1:])) if ink else None for ink in (note["fill"], note["stroke"]))
    return PaintedPath(note["n"], paths, fill, stroke, note["width"], layers=tuple(note["layers"]), step=note["step"])


def write_areas(areas: list[Polygon]) -> bytes:
    """Areas in mm, to be read again by `read_areas`."""
    rings = [
        [np.round(np.asarray(ring.coords)[:-1], DECIMALS).tolist() for ring in (area.exterior, *area.interiors)]
        for area in areas
    ]
    return json.dumps(rings).encode()


def read_areas(content: bytes) -> list[Polygon]:
    """The areas that `write_areas` kept, mm."""
    return [Polygon(rings[0], rings[1:]) for rings in json.loads(content)]


def write_plates(plates: Mapping[str, list[Polygon]]) -> bytes:
    """Areas of several plates in mm, to be read again by `read_plates`."""
    return json.dumps({name: json.loads(write_areas(areas)) for name, areas in sorted(plates.items())}).encode()


def read_plates(content: bytes) -> dict[str, list[Polygon]]:
    """What `write_plates` kept, mm."""
    return {name: [Polygon(one[0], one[1:]) for one in areas] for name, areas in json.loads(content).items()}
