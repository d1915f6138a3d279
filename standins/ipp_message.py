"""IPP messages as a printer reads and writes them (RFC 8010): groups of attributes, each with a tag for its kind."""

import struct
from dataclasses import dataclass, field
from typing import Any

OPERATION, JOB, END, PRINTER, UNSUPPORTED = 0x01, 0x02, 0x03, 0x04, 0x05
NO_VALUE, INTEGER, BOOLEAN, ENUM = 0x13, 0x21, 0x22, 0x23
DATE, RESOLUTION, RANGE, BEGIN, END_OF_COLLECTION, MEMBER = 0x31, 0x32, 0x33, 0x34, 0x37, 0x4A
TEXT, NAME, KEYWORD, URI, URI_SCHEME, CHARSET, LANGUAGE, MIME = 0x41, 0x42, 0x44, 0x45, 0x46, 0x47, 0x48, 0x49
MOST_DEPTH = 8


class Malformed(Exception):
    """The bytes are no IPP."""


@dataclass(frozen=True)
class Attribute:
    """Values of one kind. A collection's value is a dict of attributes."""

    tag: int
    values: tuple[Any, ...]

    @property
    def first(self) -> Any:
        return self.values[0] if self.values else None


def of(tag: int, *values: Any) -> Attribute:
    return Attribute(tag, values)


Group = dict[str, Attribute]


@dataclass
class Message:
    """`code`: the operation asked for, or the status of the answer."""

    version: tuple[int, int]
    code: int
    request_id: int
    groups: list[tuple[int, Group]] = field(default_factory=list)
    document: bytes = b""

    def group(self, tag: int) -> Group:
        return next((attributes for kind, attributes in self.groups if kind == tag), {})


class _Reader:
    def __init__(self, data: bytes) -> None:
        self.data, self.at = data, 0

    def take(self, count: int) -> bytes:
        if self.at + count > len(self.data):
            raise Malformed("it ends too early")
        self.at += count
        return self.data[self.at - count : self.at]

    def number(self, form: str) -> int:
        return int(struct.unpack(f">{form}", self.take(struct.calcsize(f">{form}")))[0])

    def field(self) -> bytes:
        return self.take(self.number("H"))

    def value(self, tag: int, depth: int) -> Any:
        content = self.field()
        try:
            if tag in (INTEGER, ENUM):
                return struct.unpack(">i", content)[0]
            if tag == BOOLEAN:
                return content != b"\0"
            if tag == RANGE:
                return struct.unpack(">ii", content)
            if tag == RESOLUTION:
                return struct.unpack(">iib", content)
            if tag == BEGIN:
                return self._collection(depth + 1)
            return content if tag < 0x40 else content.decode()
        except (struct.error, UnicodeDecodeError) as error:
            raise Malformed("a value is not of its kind") from error

    def _collection(self, depth: int) -> Group:
        if depth > MOST_DEPTH:
            raise Malformed("collections lie too deep in each other")
        found: Group = {}
        member = ""
        while True:
            tag = self.number("B")
            self.field()
            if tag == END_OF_COLLECTION:
                self.field()
                return found
            if tag == MEMBER:
                member = self.field().decode(errors="replace")
                continue
            value = self.value(tag, depth)
            held = found.get(member)
            found[member] = Attribute(tag, (*held.values, value) if held else (value,))


def read(data: bytes) -> Message:
    """Raises Malformed."""
    reader = _Reader(data)
    version = (reader.number("B"), reader.number("B"))
    message = Message(version, reader.number("H"), reader.number("i"))
    name = ""
    while (tag := reader.number("B")) != END:
        if tag < 0x10:
            message.groups.append((tag, {}))
            name = ""
            continue
        if not message.groups:
            raise Malformed("attributes stand in no group")
        group = message.groups[-1][1]
        own = reader.field().decode(errors="replace")
        value = reader.value(tag, 0)
        name = own or name
        held = group.get(name) if not own else None
        group[name] = Attribute(tag, (*held.values, value) if held else (value,))
    message.document = data[reader.at :]
    return message


def written(message: Message) -> bytes:
    parts = [struct.pack(">BBHi", *message.version, message.code, message.request_id)]
    for tag, group in message.groups:
        parts.append(bytes([tag]))
        for name, attribute in group.items():
            for number, value in enumerate(attribute.values or (b"",)):
                parts.append(_attribute(attribute.tag, name if number == 0 else "", value))
    return b"".join(parts) + bytes([END]) + message.document


def _attribute(tag: int, name: str, value: Any) -> bytes:
    head = struct.pack(">BH", tag, len(name)) + name.encode()
    if tag == BEGIN:
        parts = [head + struct.pack(">H", 0)]
        for member, attribute in value.items():
            for one in attribute.values:
                parts.append(_attribute(MEMBER, "", member))
                parts.append(_attribute(attribute.tag, "", one))
        return b"".join(parts) + struct.pack(">BHH", END_OF_COLLECTION, 0, 0)
    if tag in (INTEGER, ENUM):
        content = struct.pack(">i", value)
    elif tag == BOOLEAN:
        content = b"\1" if value else b"\0"
    elif tag == RANGE:
        content = struct.pack(">ii", *value)
    elif tag == RESOLUTION:
        content = struct.pack(">iib", *value)
    else:
        content = value if isinstance(value, bytes) else str(value).encode()
    return head + struct.pack(">H", len(content)) + content
