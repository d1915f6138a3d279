"""Changes of blade over a whole roll: how many there are when every frame is finished before the next, and when one
tool goes over all of it before the next tool."""

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from etiquette.core.artwork.kinds import Kind
from etiquette.core.cutting.motion import KIND_ORDER


@dataclass(frozen=True)
class Round:
    """Kinds of line that one tool cuts, one after the other, before another tool has to be put in."""

    tool: str
    kinds: tuple[Kind, ...]


def rounds(frames: Sequence[Collection[Kind]], tools: Mapping[Kind, str]) -> list[Round]:
    """Which tool goes over frames whose lines are of these kinds, in the order in which kinds are cut: a tool comes
    again where another one has to go between. A kind whose card names no tool is cut with what is in the holder."""
    found: list[Round] = []
    for kind in KIND_ORDER:
        if not any(kind in frame for frame in frames):
            continue
        tool = tools.get(kind, "")
        if found and tool in ("", found[-1].tool):
            found[-1] = Round(found[-1].tool, (*found[-1].kinds, kind))
        elif found and not found[-1].tool:
            found[-1] = Round(tool, (*found[-1].kinds, kind))
        else:
            found.append(Round(tool, (kind,)))
    return found


def changes(turns: Sequence[Round], holder: str) -> int:
    """How often hands change the tool when `turns` are cut one after the other; the first one too, when it is not in
    the `holder` already."""
    count = 0
    for turn in turns:
        if turn.tool and turn.tool != holder:
            holder, count = turn.tool, count + 1
    return count


def frame_by_frame(frames: Sequence[Collection[Kind]], tools: Mapping[Kind, str]) -> list[Round]:
    """The turns of the tools when every frame is finished before the next."""
    return [turn for frame in frames for turn in rounds([frame], tools)]
