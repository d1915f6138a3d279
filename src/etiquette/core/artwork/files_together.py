"""Files that were dropped together: which are art, and which are the white or the clear of another."""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from etiquette.core.artwork.spot_inks import Plate

PLATE_WORDS: dict[Plate, frozenset[str]] = {
    "white": frozenset(("white", "weiss", "weiß", "blanc", "blanco", "bianco", "wit")),
    "clear": frozenset(("clear", "varnish", "gloss", "coat", "lack", "vernis", "barniz", "vernice", "lak")),
}
COLOUR_WORDS = frozenset(("colour", "color", "cmyk", "print", "farbe", "couleur", "colore", "kleur"))
"""Last words of file names by which shops tell the files of one job apart (common practice, no published source)."""


@dataclass(frozen=True)
class ArtOf:
    """One piece of art by the places of its files among the names: its colour, and plates that came as files."""

    art: int
    plates: dict[Plate, int]

    @property
    def files(self) -> list[int]:
        return [self.art, *self.plates.values()]


def plate_named(file_name: str, numbered: Sequence[str] = ()) -> tuple[str, Plate | None]:
    """The name without the word that says what the file holds, and the plate that word means: `jar-clear.pdf` is the
    clear of `jar`; `jar.pdf` and `jar-colour.pdf` are its colour. `numbered`: what a number at the end means, from
    1: `jar 2.pdf` is the white of `jar 1.pdf` in a shop that says so."""
    words = re.split(r"[\s._-]+", file_name.rsplit(".", 1)[0].lower())
    if len(words) < 2:
        return " ".join(words), None
    last, stem = words[-1], " ".join(words[:-1])
    if re.fullmatch(r"0*[1-9]", last) and int(last) <= len(numbered):
        meant = numbered[int(last) - 1]
        return stem, None if meant == "colour" else meant  # type: ignore[return-value]
    plate = next((plate for plate, names in PLATE_WORDS.items() if last in names), None)
    return (stem if plate or last in COLOUR_WORDS else " ".join(words)), plate


def belonging(names: Sequence[str], numbered: Sequence[str] = ()) -> list[ArtOf]:
    """The art among files of these names, in their order, each with the plates that belong to it: those of its name
    in its folder (`tins/jar.pdf`, `tins/jar-clear.pdf`). White or clear that no colour came with, or that is there
    twice, is art like any other, after the rest: no file is left out."""
    stems: list[tuple[str, str]] = []
    colours, alone = [], []
    partners: dict[tuple[str, str], dict[Plate, int]] = {}
    for place, name in enumerate(names):
        folder, _, base = name.rpartition("/")
        stem, plate = plate_named(base, numbered)
        stems.append((folder, stem))
        if plate is None:
            colours.append(place)
        elif partners.setdefault(stems[place], {}).setdefault(plate, place) != place:
            alone.append(place)
    found = [ArtOf(place, partners.get(stems[place], {})) for place in colours]
    used = {stems[place] for place in colours}
    alone += [place for stem, of in partners.items() if stem not in used for place in of.values()]
    return found + [ArtOf(place, {}) for place in sorted(alone)]
