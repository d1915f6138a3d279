"""What of a value is another than before, as JSON Patch (RFC 6902): one piece that moves in a layout of ten thousand is
a few numbers, not the layout once more."""

import hashlib
import json
from collections.abc import Iterator, Mapping
from typing import Any

import jsonpatch

from etiquette.core.errors import JobError

Values = dict[str, Any]
Operation = dict[str, Any]

DIFFERENCES = "~"
"""Beside the values of an edit: for each larger value the operations, and what they are to be done on. No document has
a value of this name."""
LARGE = frozenset(("layout", "kept"))
"""Values that may be large, and that nothing but edits changes."""
LEAST_LETTERS = 2000
"""What is shorter is kept whole."""


def kept(before: Mapping[str, Any], after: Mapping[str, Any]) -> Values:
    """`after` as it is kept where `before` is known: larger values as what differs, where that is shorter."""
    whole: Values = {}
    differing: Values = {}
    for name, value in after.items():
        operations = _shorter(before.get(name), value) if name in LARGE else None
        if operations is None:
            whole[name] = value
        else:
            differing[name] = {"of": _digest(before[name]), "operations": operations}
    return {**whole, **({DIFFERENCES: differing} if differing else {})}


def values_of(held: Mapping[str, Any], before: Mapping[str, Any]) -> Values:
    """What `kept` kept. Raises JobError when `before` is not what it was kept for."""
    values = dict(held)
    for name, one in values.pop(DIFFERENCES, {}).items():
        if _digest(before.get(name)) != one["of"]:
            raise JobError(
                "What this change was made on is not there any more.",
                name,
                "Nothing was changed; make it anew by hand.",
            )
        values[name] = jsonpatch.apply_patch(before[name], one["operations"])
    return values


def _digest(value: Any) -> str:
    return hashlib.sha256(json.dumps(value, sort_keys=True).encode()).hexdigest()


def _shorter(before: Any, after: Any) -> list[Operation] | None:
    """The way from one to the other; None where the other itself is as short."""
    if not isinstance(before, dict | list) or type(before) is not type(after):
        return None
    letters = len(json.dumps(after))
    if letters < LEAST_LETTERS:
        return None
    operations, length = [], 0
    for operation in _between("", before, after):
        operations.append(operation)
        length += len(json.dumps(operation))
        if 2 * length > letters:
            return None
    return operations


def _between(path: str, before: Any, after: Any) -> Iterator[Operation]:
    if before == after:
        return
    if isinstance(before, dict) and isinstance(after, dict):
        yield from _of_named(path, before, after)
    elif isinstance(before, list) and isinstance(after, list):
        yield from _of_rows(path, before, after)
    else:
        yield {"op": "replace", "path": path, "value": after}


def _of_named(path: str, before: Values, after: Values) -> Iterator[Operation]:
    for name in before.keys() - after.keys():
        yield {"op": "remove", "path": _under(path, name)}
    for name, value in after.items():
        if name in before:
            yield from _between(_under(path, name), before[name], value)
        else:
            yield {"op": "add", "path": _under(path, name), "value": value}


def _of_rows(path: str, before: list[Any], after: list[Any]) -> Iterator[Operation]:
    """Of as many rows, each by itself; else what stands between the first and the last that are the same comes and
    goes. Operations are done one after the other: what goes, goes at the same place each time."""
    if len(before) == len(after):
        for at, (one, other) in enumerate(zip(before, after, strict=True)):
            yield from _between(f"{path}/{at}", one, other)
        return
    shorter = min(len(before), len(after))
    head = next((at for at in range(shorter) if before[at] != after[at]), shorter)
    tail = next((at for at in range(shorter - head) if before[-1 - at] != after[-1 - at]), shorter - head)
    for _ in before[head : len(before) - tail]:
        yield {"op": "remove", "path": f"{path}/{head}"}
    for at, value in enumerate(after[head : len(after) - tail]):
        yield {"op": "add", "path": f"{path}/{head + at}", "value": value}


def _under(path: str, name: str) -> str:
    return f"{path}/{name.replace('~', '~0').replace('/', '~1')}"
