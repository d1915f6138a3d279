"""What a field says of its row: words with expressions in braces, such as “No. {Serial} for {First name}”.

An expression knows columns by their names, words in quotes, numbers, slices (`Name[:1]`), arithmetic, comparisons, a
choice (`"A" if Size > 3 else "B"`) and the functions below; `&` joins words. Python's own parser reads it, and only
what is listed here is worked out: no attribute, no call of anything else, no code. Numbers are decimal, so that 0.1 is
0.1."""

import ast
import re
from collections.abc import Callable, Collection, Mapping
from dataclasses import dataclass
from datetime import date, timedelta
from decimal import ROUND_HALF_UP, Decimal, DivisionByZero, InvalidOperation, Overflow, localcontext
from typing import Any

from etiquette.core.errors import JobError

MOST_CHARACTERS = 2_000
MOST_PARTS = 300
LONGEST_RESULT = 8_000
Value = str | Decimal | date | bool
_COLUMN = re.compile(r"`([^`]+)`")
_ISO = re.compile(r"(\d{4})-(\d{1,2})-(\d{1,2})")
_DAY_FIRST = re.compile(r"(\d{1,2})\.(\d{1,2})\.(\d{4})")


class CannotSay(ValueError):
    """Why a field says nothing for a row; one sentence."""


@dataclass(frozen=True)
class Template:
    """Words and expressions in turn. `names`: the columns it asks for."""

    source: str
    parts: tuple["str | Expression", ...]

    @property
    def names(self) -> frozenset[str]:
        return frozenset(name for part in self.parts if isinstance(part, Expression) for name in part.names)

    def said(self, row: Mapping[str, str], today: date) -> str:
        """The words for one row, columns by name. Raises CannotSay."""
        words = "".join(part if isinstance(part, str) else shown(part.value(row, today)) for part in self.parts)
        if len(words) > LONGEST_RESULT:
            raise CannotSay(f"it is longer than {LONGEST_RESULT} characters")
        return words


@dataclass(frozen=True)
class Expression:
    """One expression that was read; `columns` by the names that stand for them in `tree`."""

    source: str
    tree: ast.expr
    columns: Mapping[str, str]

    @property
    def names(self) -> frozenset[str]:
        return frozenset(self.columns.values())

    def value(self, row: Mapping[str, str], today: date) -> Value:
        """Raises CannotSay."""
        values = {alias: row[name] for alias, name in self.columns.items()}
        try:
            with localcontext() as context:
                context.prec = 28
                return _Worker({**values, "today": today}).of(self.tree)
        except (DivisionByZero, InvalidOperation, Overflow):
            raise CannotSay("the sum cannot be worked out") from None
        except (OverflowError, ValueError) as error:
            if isinstance(error, CannotSay):
                raise
            raise CannotSay("there is no such day") from None


def read_template(source: str, columns: Collection[str], where: str) -> Template:
    """Words in which braces hold expressions; two braces stand for one. Raises JobError naming `where`."""
    if len(source) > MOST_CHARACTERS:
        raise JobError(f"The text is longer than {MOST_CHARACTERS} characters.", where, "Make it shorter.")
    parts: list[str | Expression] = []
    words, at = "", 0
    while at < len(source):
        here = source[at]
        if source[at : at + 2] in ("{{", "}}"):
            words, at = words + here, at + 2
        elif here == "{":
            end = _closing(source, at)
            if end < 0:
                raise JobError("A brace is opened and not closed.", where, "Close it, or write two for a brace.")
            parts += [words] if words else []
            parts.append(read_expression(source[at + 1 : end], columns, where))
            words, at = "", end + 1
        elif here == "}":
            raise JobError("A brace is closed that was not opened.", where, "Write two for a brace.")
        else:
            words, at = words + here, at + 1
    return Template(source, (*parts, words) if words else tuple(parts))


def _closing(source: str, at: int) -> int:
    """Where the brace opened at `at` is closed, outside quotes; -1: nowhere."""
    quote = ""
    for place in range(at + 1, len(source)):
        here = source[place]
        if quote:
            quote = "" if here == quote else quote
        elif here in "\"'`":
            quote = here
        elif here == "}":
            return place
    return -1


def read_expression(source: str, columns: Collection[str], where: str) -> Expression:
    """One expression; a column whose name is more than a plain word stands alone or in backticks. Raises JobError."""
    known = {_plain(name): name for name in columns}
    if (whole := known.get(_plain(source))) is not None:
        return Expression(source, ast.Name("__0", ast.Load()), {"__0": whole})
    aliases: dict[str, str] = {}
    stem = "__"
    while any(stem in name for name in columns):
        stem += "_"

    def alias(found: re.Match[str]) -> str:
        name = known.get(_plain(found[1]))
        if name is None:
            raise _unknown(found[1], columns, where)
        return aliases.setdefault(name, f"{stem}{len(aliases)}")

    text = _COLUMN.sub(alias, source).strip()
    try:
        tree = ast.parse(text, mode="eval").body
    except (SyntaxError, ValueError, RecursionError, MemoryError):
        do = "Write a column, words in quotes, or a sum; a column's name of several words stands in backticks."
        raise JobError(f"“{source.strip()[:60]}” cannot be read.", where, do) from None
    nodes = list(ast.walk(tree))
    if len(nodes) > MOST_PARTS:
        raise JobError("The expression is too long.", where, "Make two fields of it.")
    named = {by: name for name, by in aliases.items()}
    called = {id(node.func) for node in nodes if isinstance(node, ast.Call)}
    for node in nodes:
        _refuse(node, where)
        if isinstance(node, ast.Name) and id(node) not in called and node.id not in named and node.id != "today":
            name = known.get(_plain(node.id))
            if name is None:
                raise _unknown(node.id, columns, where)
            named[node.id] = name
    return Expression(source, tree, named)


def _plain(name: str) -> str:
    return " ".join(name.split()).casefold()


def _unknown(name: str, columns: Collection[str], where: str) -> JobError:
    there = ", ".join(list(columns)[:8]) or "none"
    return JobError(f"There is no column “{name[:60]}”.", where, f"Columns are: {there}.")


_ALLOWED = (ast.Name, ast.Load, ast.Constant, ast.BinOp, ast.UnaryOp, ast.Compare, ast.BoolOp, ast.IfExp, ast.Call,
            ast.Subscript, ast.Slice, ast.Add, ast.Sub, ast.Mult, ast.Div, ast.FloorDiv, ast.Mod, ast.BitAnd, ast.USub,
            ast.Not, ast.And, ast.Or, ast.Eq, ast.NotEq, ast.Lt, ast.LtE, ast.Gt, ast.GtE, ast.In,
            ast.NotIn)  # fmt: skip


def _refuse(node: ast.AST, where: str) -> None:
    if not isinstance(node, _ALLOWED):
        do = "Expressions know columns, words, numbers, slices, sums, comparisons and their functions."
        raise JobError("The expression holds something that is not known here.", where, do)
    if isinstance(node, ast.Call) and (
        not isinstance(node.func, ast.Name) or node.func.id not in FUNCTIONS or node.keywords
    ):
        raise JobError("There is no such function.", where, f"Functions are: {', '.join(sorted(FUNCTIONS))}.")
    if isinstance(node, ast.Constant) and not (isinstance(node.value, str) or _is_finite(node.value)):
        raise JobError("The expression holds something that is not known here.", where, "Use words or numbers.")


def _is_finite(value: object) -> bool:
    return isinstance(value, int | float) and abs(value) < 1e15


def shown(value: Value) -> str:
    """A value as it is printed: numbers without needless zeros, days as in ISO 8601."""
    if isinstance(value, bool):
        return "yes" if value else ""
    if isinstance(value, Decimal):
        text = format(value, "f")
        return (text.rstrip("0").rstrip(".") if "." in text else text) or "0"
    return value.isoformat() if isinstance(value, date) else value


def number_of(value: Value) -> Decimal:
    """Raises CannotSay."""
    if isinstance(value, Decimal):
        return value
    if isinstance(value, str) and re.fullmatch(r"\s*[-+]?(\d+([.,]\d*)?|[.,]\d+)\s*", value):
        return Decimal(value.strip().replace(",", "."))
    raise CannotSay(f"“{shown(value)[:40]}” is not a number")


def day_of(value: Value) -> date:
    """A day written as in ISO 8601, or day first with points. Raises CannotSay."""
    if isinstance(value, date):
        return value
    text = shown(value).strip()
    if found := _ISO.match(text):
        return date(int(found[1]), int(found[2]), int(found[3]))
    if found := _DAY_FIRST.match(text):
        return date(int(found[3]), int(found[2]), int(found[1]))
    raise CannotSay(f"“{text[:40]}” is not a day")


def is_true(value: Value) -> bool:
    """What counts as no: nothing, 0, no, false."""
    if isinstance(value, bool):
        return value
    return shown(value).strip().casefold() not in ("", "0", "no", "false")


def _whole(value: Value) -> int:
    number = number_of(value)
    if number != number.to_integral_value() or abs(number) > 1_000_000:
        raise CannotSay(f"“{shown(number)}” is no whole number that can be used here")
    return int(number)


def _padded(value: Value, width: Value, filler: Value = "0") -> str:
    return shown(value).rjust(min(_whole(width), 200), shown(filler)[:1] or " ")


def _fixed(value: Value, places: Value) -> str:
    count = max(0, min(_whole(places), 12))
    return format(number_of(value).quantize(Decimal(1).scaleb(-count), ROUND_HALF_UP), "f")


def _months_on(value: Value, months: Value) -> date:
    """The same day of a later month; its last day where it has fewer."""
    day = day_of(value)
    year, month = divmod(day.year * 12 + day.month - 1 + _whole(months), 12)
    for last in range(day.day, 27, -1):
        try:
            return date(year, month + 1, last)
        except ValueError:
            continue
    return date(year, month + 1, min(day.day, 28))


def _day_shown(value: Value, how: Value) -> str:
    """YYYY, YY, MM, DD, DDD (day of the year) and WW (week, ISO 8601) stand for themselves."""
    day = day_of(value)
    held = {
        "YYYY": f"{day.year:04}",
        "YY": f"{day.year % 100:02}",
        "MM": f"{day.month:02}",
        "DDD": f"{day.timetuple().tm_yday:03}",
        "DD": f"{day.day:02}",
        "WW": f"{day.isocalendar().week:02}",
    }
    return re.sub("YYYY|YY|MM|DDD|DD|WW", lambda found: held[found[0]], shown(how))


FUNCTIONS: dict[str, tuple[int, int, Callable[..., Value]]] = {
    "upper": (1, 1, lambda value: shown(value).upper()),
    "lower": (1, 1, lambda value: shown(value).lower()),
    "title": (1, 1, lambda value: shown(value).title()),
    "trim": (1, 1, lambda value: " ".join(shown(value).split())),
    "length": (1, 1, lambda value: Decimal(len(shown(value)))),
    "pad": (2, 3, _padded),
    "replace": (3, 3, lambda value, old, new: shown(value).replace(shown(old) or "\0", shown(new))),
    "number": (1, 1, number_of),
    "fixed": (2, 2, _fixed),
    "day": (1, 1, day_of),
    "days_on": (2, 2, lambda value, days: day_of(value) + timedelta(days=_whole(days))),
    "months_on": (2, 2, _months_on),
    "show_day": (2, 2, _day_shown),
}
"""By name: the fewest and the most values they take, and what they do."""


class _Worker:
    def __init__(self, names: Mapping[str, Value]) -> None:
        self._names = names

    def of(self, node: Any) -> Value:
        match node:
            case ast.Name():
                return self._names[node.id]
            case ast.Constant():
                return node.value if isinstance(node.value, str | bool) else Decimal(str(node.value))
            case ast.IfExp():
                return self.of(node.body if is_true(self.of(node.test)) else node.orelse)
            case ast.BoolOp():
                every = [is_true(self.of(one)) for one in node.values]
                return all(every) if isinstance(node.op, ast.And) else any(every)
            case ast.UnaryOp():
                value = self.of(node.operand)
                return not is_true(value) if isinstance(node.op, ast.Not) else -number_of(value)
            case ast.BinOp():
                return self._sum(node)
            case ast.Compare():
                return self._compared(node)
            case ast.Subscript():
                return self._slice(node)
            case _:
                return self._called(node)

    def _sum(self, node: ast.BinOp) -> Value:
        left, right = self.of(node.left), self.of(node.right)
        if isinstance(node.op, ast.BitAnd):
            joined = shown(left) + shown(right)
            if len(joined) > LONGEST_RESULT:
                raise CannotSay(f"it is longer than {LONGEST_RESULT} characters")
            return joined
        a, b = number_of(left), number_of(right)
        match node.op:
            case ast.Add():
                return a + b
            case ast.Sub():
                return a - b
            case ast.Mult():
                return a * b
            case ast.Div():
                return a / b
            case ast.FloorDiv():
                return (a / b).to_integral_value(rounding="ROUND_FLOOR")
            case _:
                return a - b * (a / b).to_integral_value(rounding="ROUND_FLOOR")

    def _compared(self, node: ast.Compare) -> bool:
        left = self.of(node.left)
        for operator, other in zip(node.ops, node.comparators, strict=True):
            right = self.of(other)
            if not _holds(operator, left, right):
                return False
            left = right
        return True

    def _slice(self, node: ast.Subscript) -> str:
        text = shown(self.of(node.value))
        if not isinstance(node.slice, ast.Slice):
            place = _whole(self.of(node.slice))
            return text[place] if -len(text) <= place < len(text) else ""
        first, last, step = (
            _whole(self.of(one)) if one is not None else None
            for one in (node.slice.lower, node.slice.upper, node.slice.step)
        )
        if step == 0:
            raise CannotSay("a slice cannot step by 0")
        return text[first:last:step]

    def _called(self, node: ast.Call) -> Value:
        assert isinstance(node.func, ast.Name)
        fewest, most, does = FUNCTIONS[node.func.id]
        if not fewest <= len(node.args) <= most:
            raise CannotSay(f"{node.func.id} takes {fewest if fewest == most else f'{fewest} or {most}'} values")
        value = does(*(self.of(one) for one in node.args))
        if isinstance(value, str) and len(value) > LONGEST_RESULT:  # before the next function makes more of it
            raise CannotSay(f"it is longer than {LONGEST_RESULT} characters")
        return value


def _holds(operator: ast.cmpop, left: Value, right: Value) -> bool:
    """Numbers are compared as such where both are, days by their order, all else as words whatever the case."""
    if isinstance(operator, ast.In | ast.NotIn):
        return (shown(left).casefold() in shown(right).casefold()) == isinstance(operator, ast.In)
    a, b = _comparable(left, right)
    match operator:
        case ast.Eq():
            return bool(a == b)
        case ast.NotEq():
            return bool(a != b)
        case ast.Lt():
            return bool(a < b)
        case ast.LtE():
            return bool(a <= b)
        case ast.Gt():
            return bool(a > b)
        case _:
            return bool(a >= b)


def _comparable(left: Value, right: Value) -> tuple[Any, Any]:
    for read in (number_of, day_of):
        try:
            return read(left), read(right)
        except ValueError:
            continue
    return shown(left).strip().casefold(), shown(right).strip().casefold()
