"""What a camera's sensor makes of the light: grey with noise, in a picture of an open format."""

import struct
import zlib

import cv2
import numpy as np


def noisy(grey: np.ndarray, deviation: float, random: np.random.Generator) -> np.ndarray:
    """Bytes of `grey`, which may be of any number type, with noise of that standard deviation."""
    cv2.setRNGSeed(int(random.integers(1 << 31)))
    noise = cv2.randn(np.empty(grey.shape, dtype=np.float32), 0, deviation)
    return np.asarray(cv2.add(np.asarray(grey, dtype=np.float32), noise, dtype=cv2.CV_8U))


def png(pixels: np.ndarray, level: int = 0) -> bytes:
    """PNG (ISO/IEC 15948) of (h, w) or (h, w, 3) bytes, without filters, by default not packed: what is mostly noise
    wins nothing by it, and looking for the best filter took longer than all else about a window."""
    rows = np.ascontiguousarray(pixels).reshape(len(pixels), -1)
    colour = 2 if pixels.ndim == 3 else 0
    head = struct.pack(">IIBBBBB", pixels.shape[1], pixels.shape[0], 8, colour, 0, 0, 0)
    data = zlib.compress(np.pad(rows, ((0, 0), (1, 0))).tobytes(), level)
    parts = ((b"IHDR", head), (b"IDAT", data), (b"IEND", b""))
    chunks = [struct.pack(">I", len(body)) + kind + body + _check(kind + body) for kind, body in parts]
    return b"\x89PNG\r\n\x1a\n" + b"".join(chunks)


def _check(content: bytes) -> bytes:
    return struct.pack(">I", zlib.crc32(content))
