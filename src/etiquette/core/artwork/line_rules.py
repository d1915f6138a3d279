"""Line rules: which painted paths of incoming art are finish lines, and of which kind."""

import re
import unicodedata
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import accumulate
from typing import Literal

from etiquette.core.artwork.kinds import STRUCTURAL_STEPS, Kind
from etiquette.core.artwork.vectors import PaintedPath, VectorPage

By = Literal["words", "name", "colour", "width"]
Word = Literal["score", "contour"]
MEANINGS: dict[Word, tuple[Kind, Kind]] = {"score": ("score", "crease"), "contour": ("kiss", "through")}
"""Words that customers use for two kinds of line: the likelier comes first and is taken until the customer is asked. A
kiss cut taken for a through cut ruins the liner; the other way round the piece only stays on it."""
CONTOUR_NAMES = ("contour", "contour cut", "cut contour", "contour line", "die line", "outline cut")
THIN_MM = 0.36
"""A stroke up to about 1 pt may be a line for a tool; a thicker one is art (common practice, no published source)."""
WIDTH_SLACK_MM = 0.005
MOST_OFFERED = 12
"""Layers and colours of art that are offered to be white or clear: a drawing may have thousands."""
COLOUR_SLACK = 3
"""Levels by which a stroke colour may differ: conversions between colour spaces round."""


@dataclass(frozen=True)
class LineRule:
    """A path is `kind` when … `by` words: a name of its layers or spots holds one of `values` as whole words; name: a
    name is exactly one of them; colour: its stroke has one of them (#rrggbb); width: its stroke is at most so many
    mm."""

    kind: Kind
    by: By
    values: tuple[str, ...]

    @property
    def words(self) -> str:
        """The rule for people, with three of its values at most."""
        what = {"words": "a name with", "name": "the name", "colour": "the stroke colour", "width": "a stroke up to"}
        more = " …" if len(self.values) > 3 else ""
        return f"{what[self.by]} {', '.join(self.values[:3])}{more}{' mm' if self.by == 'width' else ''}"

    def names(self, names: Sequence[str]) -> bool:
        """Whether one of `names`, of a layer or a spot, is one that the rule means."""
        match = _holds_words if self.by == "words" else _same_name
        return any(match(name, value) for name in names for value in self.values)

    def catches(self, path: PaintedPath) -> bool:
        """Whether a path is what the rule means, by its names or its stroke."""
        if self.by in ("words", "name"):
            return self.names((*path.layers, *path.spots))
        if path.stroke is None:
            return False
        if self.by == "colour":
            return any(_near(path.stroke.colour, value) for value in self.values)
        return path.stroke_mm <= float(self.values[0].replace(",", ".")) + WIDTH_SLACK_MM


@dataclass(frozen=True)
class Caught:
    """A path that is a finish line, its kind, and what caught it, for people."""

    path: PaintedPath
    kind: Kind
    why: str
    removal: Literal["stroke", "all"]
    """What goes from the print: a filled path that was caught by its stroke keeps its fill."""
    word: Word | None = None
    """The word it was caught by, where that could have meant another kind."""


@dataclass(frozen=True)
class Sorted:
    """Paths sorted by the rules: what was caught, and what looks like a line but was not: thin, stroked, not filled."""

    caught: tuple[Caught, ...]
    suspects: tuple[PaintedPath, ...]


DEFAULT_RULES: tuple[LineRule, ...] = (
    LineRule(
        "kiss",
        "words",
        (
            "kiss",
            "kiss cut",
            "half cut",
            "partial cutting",
            "halbschnitt",
            "anstanzen",
            "mi chair",
            "medio corte",
            "mezzo taglio",
            "halfsnijden",
        ),
    ),
    LineRule(
        "perforation",
        "words",
        ("perf", "perforation", "perforating", "perforate", "perforieren", "perforación", "perforazione", "perforatie"),
    ),
    LineRule(
        "crease",
        "words",
        (
            "crease",
            "creasing",
            "fold",
            "folding",
            "rill",
            "rillen",
            "rilllinie",
            "falz",
            "pli",
            "rainage",
            "hendido",
            "plegado",
            "piega",
            "cordonatura",
            "vouw",
            "rillijn",
        ),
    ),
    LineRule("score", "words", ("score", "scoring", "ritzen", "ritzlinie", "rainure")),
    LineRule("pen", "words", ("pen", "plot", "zeichnen")),
    LineRule("through", "words", ("through", "through cut")),
    LineRule("kiss", "words", CONTOUR_NAMES),
    LineRule(
        "through",
        "words",
        (
            "cut",
            "cutting",
            "cut line",
            "die",
            "die cut",
            "stanze",
            "stanzen",
            "stanzlinie",
            "schnitt",
            "schneiden",
            "schnittlinie",
            "coupe",
            "découpe",
            "corte",
            "troquel",
            "taglio",
            "fustella",
            "snijlijn",
            "stans",
        ),
    ),
)
"""Plain words of the trade in English, German, French, Spanish, Italian and Dutch, and the step names of ISO 19593-1.
The order matters: "kiss cut" is a kiss line, although it holds "cut". Plurals and joined or split spellings are one
word."""


def sort_paths(
    paths: Sequence[PaintedPath],
    rules: Sequence[LineRule] = DEFAULT_RULES,
    meanings: Mapping[Word, Kind] = {},
    by_hand: Mapping[int, Kind | None] = {},
) -> Sorted:
    """Every path by the first rule that catches it; a processing step (ISO 19593-1) counts before any rule. `meanings`:
    what this customer means by words that could be two kinds; `by_hand`: paths by their number that hands made a line,
    or (None) gave back to the print."""
    caught, suspects = [], []
    for path in paths:
        if path.number in by_hand:
            if chosen := by_hand[path.number]:
                caught.append(Caught(path, chosen, "chosen by hand", "all"))
            continue
        rule = None if path.step else next((rule for rule in rules if rule.catches(path)), None)
        if path.step:
            caught.append(Caught(path, path.step, "processing step in the file", "all"))
        elif rule:
            word = _doubtful_word(path, rule)
            meant = meanings.get(word) if word else None
            why = rule.words if meant in (None, rule.kind) else f"{rule.words}, which is a {meant} for this customer"
            caught.append(Caught(path, meant or rule.kind, why, _removal(path, rule), word))
        elif path.stroke and not path.fill and path.stroke_mm <= THIN_MM:
            suspects.append(path)
    return Sorted(tuple(caught), tuple(suspects))


def spots_left(page: VectorPage, found: Sorted) -> list[str]:
    """Named colours of a page that are not lines, those of its text and pictures among them."""
    return sorted({*page.unreached, *(name for path in _left(page, found) for name in path.spots)})


def layers_left(page: VectorPage, found: Sorted) -> list[str]:
    """The outermost layers of what is left in the print, those with most paths first."""
    return _most_used(name for path in _left(page, found) for name in path.layers[:1])


def colours_left(page: VectorPage, found: Sorted) -> list[str]:
    """The colours (#rrggbb) of what is left in the print, those of most paths first; named colours are told apart."""
    inks = (ink for path in _left(page, found) for ink in (path.fill, path.stroke) if ink and not ink.spots)
    return _most_used(ink.colour for ink in inks if ink.colour)


def _left(page: VectorPage, found: Sorted) -> list[PaintedPath]:
    lines = {one.path.number for one in found.caught}
    return [path for path in page.paths if path.number not in lines]


def _most_used(names: Iterable[str]) -> list[str]:
    return [name for name, _ in Counter(names).most_common(MOST_OFFERED)]


def _doubtful_word(path: PaintedPath, rule: LineRule) -> Word | None:
    if rule.by != "words":
        return None  # an exact name or a look that the shop has told
    if rule.kind == "score":
        return "score"
    contour = LineRule("kiss", "words", CONTOUR_NAMES)
    return (
        "contour" if rule.kind in MEANINGS["contour"] and contour.catches(path) and not _says_how_deep(path) else None
    )


def _says_how_deep(path: PaintedPath) -> bool:
    """Whether a name of a contour says itself which cut it is: “kiss cut contour”, “through cut contour”."""
    return any(_holds_words(name, word) for name in (*path.layers, *path.spots) for word in ("kiss", "through"))


def _removal(path: PaintedPath, rule: LineRule) -> Literal["stroke", "all"]:
    if path.fill is None or path.stroke is None:
        return "all"
    by_name = rule.by in ("words", "name")
    return "all" if by_name and rule.names((*path.layers, *path.fill.spots)) else "stroke"


def step_kind(group: str, step: str) -> Kind | None:
    """The kind of the processing step `step` in `group`, or None when it is no line for a tool."""
    return STRUCTURAL_STEPS.get(step) if group == "Structural" else None


@lru_cache(maxsize=4096)
def _words(name: str) -> tuple[str, frozenset[int]]:
    """The words of a name written together, in lower case without accents, and where each begins and ends: `CutLine_2`
    is cut, line, 2. Kept in mind: every path of a drawing is asked for every word of the trade."""
    apart = re.sub(r"(?<=[a-zà-ÿ])(?=[A-ZÀ-Þ])", " ", name)
    plain = unicodedata.normalize("NFKD", apart).encode("ascii", "ignore").decode().lower()
    words = [_singular(word) for word in re.findall(r"[a-z]+|\d+", plain)]
    return "".join(words), frozenset(accumulate(map(len, words), initial=0))


def _singular(word: str) -> str:
    """Without the s of a plural, and so for every word on both sides, whatever its language does with an s."""
    return word[:-1] if len(word) > 3 and word.endswith("s") and not word.endswith("ss") else word


def _holds_words(name: str, value: str) -> bool:
    """Whether `value` stands in `name` as whole words, written together or apart."""
    (wanted, _), (words, ends) = _words(value), _words(name)
    at = words.find(wanted) if wanted else -1
    while at >= 0:
        if at in ends and at + len(wanted) in ends:
            return True
        at = words.find(wanted, at + 1)
    return False


def _same_name(name: str, value: str) -> bool:
    return name.strip() == value.strip()


def _near(one: str, two: str) -> bool:
    try:
        a, b = bytes.fromhex(one.removeprefix("#")), bytes.fromhex(two.removeprefix("#"))
    except ValueError:
        return False
    return len(a) == len(b) == 3 and all(abs(x - y) <= COLOUR_SLACK for x, y in zip(a, b, strict=True))
