"""ICC profiles written as files, version 2.4 of the format (ISO 15076-1, clauses 7 and 10), and a wide RGB space to
render art in that no ink leaves."""

import struct
from functools import cache

import numpy as np
from numpy.typing import NDArray

Reals = NDArray[np.float64]
D50 = np.array([0.9642, 1.0, 0.8249])
"""White of the space in which profiles meet (7.2.16)."""
WIDE_XYZ = np.array([[0.7977, 0.1352, 0.0313], [0.2880, 0.7119, 0.0001], [0.0, 0.0, 0.8249]])
"""Columns: red, green and blue of ISO 22028-2 (ROMM RGB) as X, Y, Z under D50."""
WIDE_GAMMA = 1.8


def icc_file(kind: bytes, space: bytes, inside: bytes, tags: dict[bytes, bytes], same: dict[bytes, bytes]) -> bytes:
    """Header, table of tags, tags (7.2 to 7.3), without a date, so that the same profile is the same file. `kind`: its
    class; `inside`: the space in which it meets others; `same`: tags that share the data of another."""
    start = 128 + 4 + 12 * (len(tags) + len(same))
    places, body = {}, b""
    for name, data in tags.items():
        places[name] = (start + len(body), len(data))
        body += data + bytes(-len(data) % 4)
    places.update({name: places[other] for name, other in same.items()})
    table = struct.pack(">I", len(places)) + b"".join(
        name + struct.pack(">II", *place) for name, place in places.items()
    )
    head = struct.pack(">I4sI4s4s4s", start + len(body), bytes(4), 0x02400000, kind, space, inside)
    head += bytes(12) + b"acsp" + bytes(28) + b"".join(fixed(one) for one in D50)
    return head.ljust(128, b"\0") + table + body


def words(description: str, rights: str) -> dict[bytes, bytes]:
    """The tags that every profile has for people (10.15 of version 2; 10.24)."""
    told = description.encode("ascii") + b"\0"
    return {
        b"desc": b"desc" + bytes(4) + struct.pack(">I", len(told)) + told + bytes(78),
        b"cprt": b"text" + bytes(4) + rights.encode("ascii") + b"\0",
    }


def xyz_tag(xyz: Reals) -> bytes:
    """X, Y, Z (3,) (10.31)."""
    return b"XYZ " + bytes(4) + b"".join(fixed(value) for value in xyz)


def gamma_tag(gamma: float) -> bytes:
    """A curve that is a power (10.6)."""
    return b"curv" + struct.pack(">IIH", 0, 1, round(gamma * 256))


def lut16_tag(inputs: int, outputs: int, steps: int, table: Reals) -> bytes:
    """A table (10.10): an identity matrix, straight curves, and `table` (steps ** inputs, outputs) of 0 to 65535."""
    head = struct.pack(">4sI4B", b"mft2", 0, inputs, outputs, steps, 0)
    head += b"".join(fixed(value) for value in np.eye(3).ravel()) + struct.pack(">HH", 2, 2)
    straight = struct.pack(">HH", 0, 65535)
    return head + straight * inputs + table.astype(">u2").tobytes() + straight * outputs


def lab16(lab: Reals) -> Reals:
    """L*, a*, b* (n, 3) as in a table of this type: L* of 100 is 0xFF00, a* and b* of 0 are 0x8000 (10.10)."""
    whole = np.stack([lab[:, 0] * 652.8, (lab[:, 1] + 128) * 256, (lab[:, 2] + 128) * 256], axis=-1)
    return np.clip(np.round(whole), 0, 65535)


def description_of(profile: bytes) -> str:
    """What a profile calls itself, read without opening it: foreign ones are opened behind the door only. Empty: it
    does not say."""
    if len(profile) < 132:
        return ""
    (count,) = struct.unpack(">I", profile[128:132])
    for number in range(min(count, 200)):
        entry = profile[132 + 12 * number : 144 + 12 * number]
        if len(entry) == 12 and entry[:4] == b"desc":
            at, size = struct.unpack(">II", entry[4:])
            held = profile[at : at + min(size, 500)]
            return held.replace(b"\0", b"").decode("latin-1")  # of both kinds: plain, or two bytes a letter
    return ""


def matrix_profile(description: str, xyz: Reals, gamma: float) -> bytes:
    """The profile of an RGB space whose primaries are the columns of `xyz` (3, 3), X, Y, Z under D50."""
    curve = gamma_tag(gamma)
    tags = {**words(description, "No copyright"), b"wtpt": xyz_tag(D50), b"rTRC": curve}
    tags |= {name: xyz_tag(column) for name, column in zip((b"rXYZ", b"gXYZ", b"bXYZ"), xyz.T, strict=True)}
    return icc_file(b"mntr", b"RGB ", b"XYZ ", tags, {b"gTRC": b"rTRC", b"bTRC": b"rTRC"})


@cache
def wide_profile() -> bytes:
    """An RGB space with room for every ink."""
    return matrix_profile("Wide RGB", WIDE_XYZ, WIDE_GAMMA)


def fixed(value: float) -> bytes:
    """s15Fixed16Number (4.6)."""
    return struct.pack(">i", round(float(value) * 65536))
