"""The families that the text of an SVG drawing asks for (SVG 2, 11.8; CSS Fonts 3, 3.1 and 3.7)."""

from collections.abc import Iterator
from itertools import takewhile
from typing import Any

import cssselect2
import tinycss2
from lxml import etree

GENERIC = frozenset(
    {"serif", "sans-serif", "cursive", "fantasy", "monospace", "system-ui", "math", "emoji", "fangsong", "ui-serif"}
    | {"ui-sans-serif", "ui-monospace", "ui-rounded", "sans", "mono", "initial", "revert"}
)
"""Words that ask for no family in particular: those of CSS Fonts 4, 2.1.3, and what fontconfig calls the same."""
AS_ABOVE = {"inherit", "unset"}
SIZES = {"xx-small", "x-small", "small", "medium", "large", "x-large", "xx-large", "xxx-large", "larger", "smaller"}
HELD_BACK = {"defs", "symbol"}
DRAWN_BY_OTHERS = {"pattern", "mask", "clipPath", "marker"}
UNREAD = (cssselect2.SelectorError, AttributeError, SyntaxError, RecursionError, MemoryError)
"""What comes of a selector that makes no sense: Python is made of each, and fails in ways of its own."""
PLAIN = {"ident", "string", "number", "dimension", "percentage"}
"""What names are spelt with, right or wrong."""
UNSPOKEN = {"title", "desc", "metadata"}


def families_asked(root: Any) -> set[str]:
    """The family that each piece of visible text asks for first, as it is spelt; none where any will do. `root`: the
    drawing, its uses written out."""
    texts = [one for one in root.iter("{*}text") if "".join(one.itertext()).strip() and not _held_back(one)]
    if not texts:
        return set()
    ours = {part for text in texts for part in (*text.iterancestors(), *text.iter())}
    sheets = _sheets(root)
    families: dict[Any, str] = {}
    asked: set[str] = set()
    hidden: set[Any] = set()
    # a parent stands before its children, so that what they inherit is known
    for wrapped in cssselect2.ElementWrapper.from_xml_root(root).iter_subtree():
        element = wrapped.etree_element
        if element not in ours:
            continue
        above = element.getparent()
        families[element], shown = _computed(wrapped, sheets, families.get(above, ""))
        if not shown or above in hidden or etree.QName(element).localname in UNSPOKEN:
            hidden.add(element)
        elif any(words.strip() for words in _own_words(element)):
            asked.add(families[element])
    return asked - {""}


def _held_back(element: Any) -> bool:
    """Whether it stands where nothing is drawn until another thing shows it, which the written-out uses did."""
    kinds = (etree.QName(one).localname for one in element.iterancestors())
    return next((kind in HELD_BACK for kind in kinds if kind in HELD_BACK | DRAWN_BY_OTHERS), False)


def _own_words(element: Any) -> Iterator[str]:
    """What is written in an element itself, when it is text or a part of one."""
    inside = (element, *element.iterancestors())
    if any(etree.QName(one).localname == "text" for one in inside):
        yield element.text or ""
        yield from (child.tail or "" for child in element)


def _sheets(root: Any) -> cssselect2.Matcher:
    """The rules of all style sheets in the drawing; those that cannot be read are no rules."""
    matcher = cssselect2.Matcher()
    for sheet in root.iter("{*}style"):
        for rule in tinycss2.parse_stylesheet("".join(sheet.itertext()), skip_comments=True, skip_whitespace=True):
            if rule.type != "qualified-rule":
                continue
            try:
                selectors = cssselect2.compile_selector_list(rule.prelude)
            except UNREAD:
                continue
            declarations = _declarations(rule.content)
            for selector in selectors:
                matcher.add_selector(selector, declarations)
    return matcher


def _declarations(content: Any) -> list[Any]:
    return [one for one in tinycss2.parse_blocks_contents(content) if one.type == "declaration"]


def _computed(wrapped: Any, sheets: cssselect2.Matcher, above: str) -> tuple[str, bool]:
    """The first family of an element whose parent has `above`, and whether it is shown (CSS Cascading 4, 6: attributes
    count less than any rule, rules by how much they single out, the element's own style more)."""
    element, family, shown = wrapped.etree_element, above, True
    plain = ";".join(f"{key}:{element.get(key)}" for key in ("font-family", "display") if element.get(key))
    declared = _declarations(plain)
    for *_, pseudo, declarations in sheets.match(wrapped):
        declared += [] if pseudo else declarations
    declared += _declarations(element.get("style", ""))
    for one in sorted(declared, key=lambda one: bool(one.important)):
        if one.lower_name == "display":
            shown = not any(token.type == "ident" and token.lower_value == "none" for token in one.value)
        elif one.lower_name in ("font-family", "font"):
            names = one.value if one.lower_name == "font-family" else _after_size(one.value)
            asked = _first(names)
            family = family if asked is None else above if asked in AS_ABOVE else asked
    return family, shown


def _after_size(value: list[Any]) -> list[Any]:
    """The families of the shorthand: what comes after the size and the height of a line (CSS Fonts 3, 3.7), or a word
    for what the parent has."""
    for place, token in enumerate(value):
        if token.type in ("dimension", "percentage") or (token.type == "ident" and token.lower_value in SIZES):
            rest = [one for one in value[place + 1 :] if one.type not in ("whitespace", "comment")]
            return rest[2:] if rest and rest[0] == "/" else rest
    return [token for token in value if token.type == "ident" and token.lower_value in AS_ABOVE]


def _first(names: list[Any]) -> str | None:
    """The first of a list of families, or a word for what the parent has; empty: none in particular. None: it is no
    list of families."""
    tokens = [one for one in takewhile(lambda one: one != ",", names) if one.type not in ("whitespace", "comment")]
    if len(tokens) == 1 and tokens[0].type == "string":
        return str(tokens[0].value).strip()
    if any(one.type not in PLAIN for one in tokens):
        return None
    asked = " ".join(one.serialize() for one in tokens) or None
    return "" if asked and asked.lower() in GENERIC else asked
