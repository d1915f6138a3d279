"""What can go wrong on a cutter. Each fault is set by a request and happens once it is due.

noise {grey}          the camera is noisier
missed {looks}        the next looks show nothing but haze
glare {grey}          a streak of light across every window
slow {seconds}        every stroke takes so long
skew {deg}            the next sheet is laid so crooked
slip {after, x, y}    after so many strokes the media moves
feed {beyond, x, y}   the media has moved once it was fed out beyond so many mm
out {after}           after so many strokes there is no media
drop {on, after, bytes}  after so many answers the line is cut after so many bytes of one (on: answer)
power {after}         after so many strokes the power goes: what is loaded and what was told are forgotten
none                  all faults are gone
"""

from typing import Any

import numpy as np

KINDS = ("noise", "missed", "glare", "slow", "skew", "slip", "feed", "out", "drop", "power", "none")


class Faults:
    def __init__(self) -> None:
        self._set: dict[str, dict[str, Any]] = {}

    def set(self, fault: dict[str, Any]) -> None:
        kind = str(fault.get("kind"))
        if kind == "none":
            self._set = {}
        elif kind in KINDS:
            self._set[kind] = dict(fault)

    def _due(self, kind: str) -> dict[str, Any] | None:
        """The fault, when as many strokes as it waits for have gone by; it happens once."""
        fault = self._set.get(kind)
        if fault is None:
            return None
        if fault.get("after", 0) > 0:
            fault["after"] -= 1
            return None
        return self._set.pop(kind)

    def noise(self, usual: float) -> float:
        return float(self._set.get("noise", {}).get("grey", usual))

    def on_window(self, grey: np.ndarray, random: np.random.Generator) -> np.ndarray:
        missed = self._set.get("missed")
        if missed is not None:
            missed["looks"] = int(missed.get("looks", 1)) - 1
            if missed["looks"] <= 0:
                del self._set["missed"]
            return np.full(grey.shape, 190.0)
        glare = self._set.get("glare")
        if glare is not None:
            rows, columns = np.mgrid[: grey.shape[0], : grey.shape[1]]
            away = (columns - grey.shape[1] / 2 + random.uniform(-60, 60)) * 0.76 + (rows - grey.shape[0] / 2) * 0.65
            return np.asarray(grey + float(glare.get("grey", 80)) * np.exp(-((away / 8) ** 2)))
        return grey

    def slow_seconds(self) -> float:
        return float(self._set.get("slow", {}).get("seconds", 0.0))

    def skew_deg(self) -> float:
        return float(self._set.pop("skew", {}).get("deg", 0.0))

    def slip(self) -> np.ndarray | None:
        fault = self._due("slip")
        return np.array([float(fault.get("x", 0)), float(fault.get("y", 0))]) if fault else None

    def fed_out(self, y: float) -> np.ndarray | None:
        """How the media moves when it is fed out to `y` mm; once."""
        if y <= float(self._set.get("feed", {}).get("beyond", np.inf)):
            return None
        fault = self._set.pop("feed")
        return np.array([float(fault.get("x", 0)), float(fault.get("y", 0))])

    def out_of_media(self) -> bool:
        return self._due("out") is not None

    def power(self) -> bool:
        return self._due("power") is not None

    def dropped(self, wanted: str) -> int | None:
        fault = self._set.get("drop")
        if fault is None or fault.get("on") != wanted:
            return None
        if fault.get("after", 0) > 0:
            fault["after"] -= 1
            return None
        del self._set["drop"]
        return int(fault.get("bytes", 0))
