"""What is said of colours before a run is sent, from what its plates hold."""

from collections.abc import Callable, Iterable, Sequence

from etiquette.files.documents.plates import ArtNote, PlateSetDocument
from etiquette.stations.runs import RunState
from etiquette.stations.what_lies import Check

LEAST_TEXT_PT = 4.5
"""Smaller letters fill in or break up: a stroke of theirs is about a dot of the printer wide (a value of our own)."""
LEAST_WHITE_MM = 0.2
"""A thinner white stroke runs shut between inks (a value of our own: two dots of a printer of 250 dots an inch)."""
OVER_LIMIT = 0.03
"""So much more than the profile gives is still rounding."""


def colour_checks(state: RunState, plates: Sequence[PlateSetDocument]) -> list[Check]:
    """In the order in which they would be looked at by hand; empty until the plates are made."""
    notes = list({note.design: note for plate in plates for note in plate.art}.values())
    if not plates or not plates[0].art:
        return []
    return [
        *_profile(state),
        *_ink(state, plates),
        *_spaces(state, notes),
        *_details(state, notes),
    ]


def _profile(state: RunState) -> list[Check]:
    kit = state.kit
    if kit.mode is None:
        return []
    if kit.profile is None:
        return [Check("look", "The print mode has no colour profile: colours come out as the printer is set")]
    return [Check("good", f"Colours for {kit.profile.name}")]


def _ink(state: RunState, plates: Sequence[PlateSetDocument]) -> list[Check]:
    profile = state.kit.profile
    most = max((plate.most_ink or 0.0 for plate in plates), default=0.0)
    if profile is None or profile.ink_limit is None or not most:
        return []
    limit = profile.ink_limit / 100
    if most <= limit + OVER_LIMIT:
        return [Check("good", f"Ink on one place {100 * most:.0f} % at most, of {100 * limit:.0f} %")]
    comes, allowed = f"{100 * most:.0f} %", f"{100 * limit:.0f} %"
    words = f"Ink on one place comes to {comes}; the profile gives {allowed} at most. It may not dry"
    return [Check("look", words)]


def _spaces(state: RunState, notes: Sequence[ArtNote]) -> list[Check]:
    rgb, cmyk = (
        _named(state, notes, lambda note: "RGB" in note.spaces),
        _named(state, notes, lambda note: "CMYK" in note.spaces),
    )
    profile = state.kit.profile
    if rgb and cmyk:
        return [Check("look", f"RGB and CMYK in one run: equal colours may come out unequal. RGB: {rgb}. CMYK: {cmyk}")]
    if rgb and profile is not None and profile.space == "CMYK":
        return [Check("good", f"RGB art is converted by the profile: {rgb}")]
    if cmyk and profile is not None and profile.space == "RGB":
        return [Check("look", f"CMYK art for a printer that is fed RGB: {cmyk}")]
    return [Check("good", "All art is in one colour space")]


def _details(state: RunState, notes: Sequence[ArtNote]) -> list[Check]:
    small = _named(state, notes, lambda note: (note.least_text_pt or LEAST_TEXT_PT) < LEAST_TEXT_PT, _points)
    thin = _named(state, notes, lambda note: (note.thin_white_mm or LEAST_WHITE_MM) < LEAST_WHITE_MM, _width)
    gone = _named(state, notes, lambda note: note.overprint == "white")
    over = _named(state, notes, lambda note: note.overprint == "some")
    kept = _named(state, notes, lambda note: bool(note.kept), lambda note: f" ({', '.join(note.kept)})")
    told = [
        (kept, f"Colours that stay as they came, because they cannot be followed: {kept}"),
        (small, f"Text is smaller than {LEAST_TEXT_PT} pt: {small}"),
        (thin, f"White strokes are thinner than {LEAST_WHITE_MM} mm: {thin}. They may run shut"),
        (gone, f"White that overprints is not printed at all: {gone}. Turn overprint off in the art"),
        (over, f"Overprint is on: {over}. What lies below shows through on printers that follow it"),
    ]
    return [Check("look", words) for names, words in told if names]


def _points(note: ArtNote) -> str:
    return f" ({note.least_text_pt:.1f} pt)"


def _width(note: ArtNote) -> str:
    return f" ({note.thin_white_mm:.2f} mm)"


def _named(
    state: RunState,
    notes: Iterable[ArtNote],
    fits: Callable[[ArtNote], bool],
    more: Callable[[ArtNote], str] = lambda _: "",
) -> str:
    """The designs that fit, by name."""
    here = [note for note in notes if note.design in state.designs and fits(note)]
    return ", ".join(state.designs[note.design].document.name + more(note) for note in here)
