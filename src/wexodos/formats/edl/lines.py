"""The lines of a cut list as events."""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace

from wexodos.formats.errors import ReadError
from wexodos.timing import Rate

MOST_LINES = 500_000
_CODE = re.compile(r"(\d{1,2}):(\d{2}):(\d{2})([:;.,])(\d{2})")


@dataclass(frozen=True, slots=True)
class Code:
    """A timecode as it stands: hours, minutes, seconds, frames, and whether it counts drop frame (None: as
    the list)."""

    parts: tuple[int, int, int, int]
    drop: bool | None

    def frames(self, rate: Rate, drop: bool) -> int:
        """The frame it names; numbers that drop frame leaves out count as the next one."""
        hours, minutes, seconds, frames = self.parts
        count = ((hours * 60 + minutes) * 60 + seconds) * rate.nominal + frames
        dropping = drop if self.drop is None else self.drop
        if dropping and rate.nominal % 30 == 0:
            lost = rate.nominal // 15
            whole = hours * 60 + minutes
            count -= lost * (whole - whole // 10)
        return count


@dataclass(slots=True)
class Line:
    """One line of an event; ``drop`` is the frame code mode it stands under."""

    number: str
    reel: str
    channel: str
    kind: str
    duration: int
    codes: tuple[Code, Code, Code, Code]
    drop: bool
    row: int


@dataclass(slots=True)
class Event:
    """The lines of one number, and what is said below them. ``speeds`` are (reel, frames a second, code)."""

    lines: list[Line] = field(default_factory=list)
    speeds: list[tuple[str, str, Code | None]] = field(default_factory=list)
    comments: list[str] = field(default_factory=list)
    channels: list[int] = field(default_factory=list)


@dataclass(slots=True)
class List:
    """A list: its title, what its head says, its events, and lines nobody here understands."""

    title: str = ""
    head: list[str] = field(default_factory=list)
    events: list[Event] = field(default_factory=list)
    other: list[str] = field(default_factory=list)
    reels: dict[str, str] = field(default_factory=dict)
    mode: bool | None = None

    @property
    def drop(self) -> bool:
        """Whether the record side counts drop frame: one of its codes says so, or the first mode named."""
        marked = any(code.drop for event in self.events for line in event.lines for code in line.codes[2:])
        return marked or bool(self.mode)


def code_of(text: str) -> Code | None:
    found = _CODE.fullmatch(text)
    if found is None:
        return None
    parts = tuple(int(found.group(place)) for place in (1, 2, 3, 5))
    return Code(parts, True if found.group(4) in ";.," else None)  # type: ignore[arg-type]


def read_lists(text: str) -> list[List]:
    """The lists of a file: a new one begins at every title after events. Raises ``ReadError``."""
    found: list[List] = [List()]
    drop, modes = False, 0
    rows = text.replace("\r\n", "\n").replace("\r", "\n").replace("\x1a", "").split("\n")
    if len(rows) > MOST_LINES:
        raise ReadError("the list has too many lines")
    for row, raw in enumerate(rows, 1):
        line = raw.strip().lstrip("\ufeff")
        if not line:
            continue
        words = line.split()
        upper = line.upper()
        current = found[-1]
        if upper.startswith("TITLE:"):
            if current.events or (current.title and current.head):
                found.append(List())
                current = found[-1]
                drop = False
            current.title = current.title or line[6:].strip()
        elif upper.startswith("FCM:"):
            drop = "NON" not in upper
            current.mode = drop if current.mode is None else current.mode
            modes += 1
        elif words[0].isdigit() and len(words) >= 8:
            _event(current, words, drop, row - modes)
        elif upper.startswith("M2 ") and current.events:
            _speed(current.events[-1], words)
        elif words[0].upper() == "AUD" and current.events:
            current.events[-1].channels += [int(one) for one in words[1:] if one.isdigit()][:16]
        elif upper.startswith("EFFECTS NAME IS") and current.events:
            current.events[-1].comments.append(f"EFFECT NAME: {line[15:].strip()}")
        elif line.startswith("*") or upper.startswith(("FROM CLIP NAME:", "TO CLIP NAME:")):
            _comment(current, line[1:].strip() if line.startswith("*") else line)
        else:
            current.other.append(line[:200])
    for one in found:
        _settle(one)
    return [one for one in found if one.title or one.events]


def _settle(one: List) -> None:
    """Say of every code how it counts. A list that marks codes that drop means the others not to; in one that
    marks none, the source side goes by the mode its event stands under, the record side by one for all."""
    lines = [line for event in one.events for line in event.lines]
    marked = any(code.drop for line in lines for code in line.codes)
    record = one.drop
    for line in lines:
        source = False if marked else line.drop
        start, end, into, out = line.codes
        line.codes = (
            replace(start, drop=bool(start.drop or source)),
            replace(end, drop=bool(end.drop or source)),
            replace(into, drop=record),
            replace(out, drop=record),
        )


def _event(current: List, words: list[str], drop: bool, row: int) -> None:
    codes = tuple(code_of(one) for one in words[-4:])
    if any(one is None for one in codes):
        current.other.append(" ".join(words)[:200])
        return
    left = words[:-4]
    # Number, reel, channel, transition, and a duration where it is no cut; what is too much belongs to the
    # reel.
    duration = 0
    if left[-1].isdigit() and len(left) >= 5 and not left[-2].isdigit():
        duration = int(left.pop()[:6])
    kind = left.pop().upper() if len(left) > 3 else "C"
    if kind in ("B", "O") and left[-1].upper() == "K":
        kind = f"K {kind}"
        left.pop()
    channel = left.pop().upper() if len(left) > 2 else "V"
    reel = " ".join(left[1:])
    line = Line(left[0], reel, channel, kind, duration, codes, drop, row)  # type: ignore[arg-type]
    last = current.events[-1] if current.events else None
    if (
        last is not None
        and last.lines[-1].number == line.number
        and not last.speeds
        and last.lines[-1].row == row - 1
    ) or (
        last is not None
        and last.lines[-1].number == line.number
        and line.kind != "C"
        and len(last.lines) == 1
        and not last.comments
    ):
        last.lines.append(line)
    else:
        current.events.append(Event([line]))


def _speed(event: Event, words: list[str]) -> None:
    code = code_of(words[-1])
    values = words[1:-1] if code is not None else words[1:]
    for place in range(len(values) - 1, -1, -1):
        if re.fullmatch(r"[-+]?\d{1,5}(\.\d{1,4})?", values[place]):
            event.speeds.append((" ".join(values[:place]), values[place], code))
            return


def _comment(current: List, text: str) -> None:
    replaced = re.fullmatch(r"(.+?)\s+(?:IS\s+)?REPLACED BY:?\s+(.+)", text, re.IGNORECASE)
    if replaced:
        current.reels[replaced.group(1).strip()] = replaced.group(2).strip()
    elif current.events:
        current.events[-1].comments.append(text)
    else:
        current.head.append(text)
