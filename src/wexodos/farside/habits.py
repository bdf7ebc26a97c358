"""What rooms do to a cut, by name, and what they did, written down."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from enum import StrEnum


class Room(StrEnum):
    """A room a cut is sent to."""

    GRADING = "grading"
    MIXING = "mixing"
    EDITING = "editing"
    FINISHING = "finishing"


class Habit(StrEnum):
    """Something a room does besides its work."""

    NO_SIZING = "no-sizing"
    NO_FILTERS = "no-filters"
    SOURCE_SIZE = "source-size"
    HANDLES = "handles"
    FRAME_LATE = "frame-late"
    SHOTS_MISSING = "shots-missing"
    NAMED_BY_EVENT = "named-by-event"
    NAMED_BY_CLIP = "named-by-clip"
    SINGLE_PICTURES = "single-pictures"
    WITH_SEQUENCE = "with-sequence"
    NO_TITLES = "no-titles"
    WIPES_TO_DISSOLVES = "wipes-to-dissolves"
    SMALL = "small"
    ONE_MOVIE = "one-movie"
    LEVELS_RIDDEN = "levels-ridden"
    LINE_REPLACED = "line-replaced"
    REVERB = "reverb"
    LATE = "late"
    WRONG_START = "wrong-start"
    RATE_44100 = "rate-44100"
    PULL = "pull"
    STEMS = "stems"
    LEADER = "leader"
    STEP = "step"
    INVERTED = "inverted"
    TRACKS = "tracks"
    MOVED = "moved"
    TRIMMED = "trimmed"
    SLIPPED = "slipped"
    RETIMED = "retimed"
    RETITLED = "retitled"
    REMOVED = "removed"
    INSERTED = "inserted"
    UNMUTED = "unmuted"
    PLAIN_TITLES = "plain-titles"
    FREEZES_LOST = "freezes-lost"
    BLACK_TITLES = "black-titles"
    MEDIA_MISSING = "media-missing"
    RESIZED = "resized"
    FIRST_SOUND_LOST = "first-sound-lost"


_ALL = tuple(Habit)
_SOUND, _EDIT, _END = map(_ALL.index, (Habit.LEVELS_RIDDEN, Habit.MOVED, Habit.MEDIA_MISSING))
HABITS: dict[Room, tuple[Habit, ...]] = {
    Room.GRADING: _ALL[:_SOUND],
    Room.MIXING: (*_ALL[_SOUND:_EDIT], Habit.WITH_SEQUENCE),
    Room.EDITING: (*_ALL[_EDIT:_END], Habit.NO_TITLES, Habit.NO_FILTERS, Habit.WIPES_TO_DISSOLVES),
    Room.FINISHING: (
        *_ALL[_END:],
        Habit.NO_TITLES,
        Habit.NO_FILTERS,
        Habit.WIPES_TO_DISSOLVES,
        Habit.BLACK_TITLES,
    ),
}
WORDS: dict[Habit, str] = {
    Habit.NO_SIZING: "sizing is left out",
    Habit.NO_FILTERS: "filters of the cut are left out",
    Habit.SOURCE_SIZE: "each clip is rendered as its source: its size, its speed, nothing of the cut",
    Habit.HANDLES: "with some frames more on either side, as far as the source goes",
    Habit.FRAME_LATE: "one shot in eight is a frame late",
    Habit.SHOTS_MISSING: "one shot in ten does not come",
    Habit.NAMED_BY_EVENT: "named by the number of the event; by source and number otherwise",
    Habit.NAMED_BY_CLIP: "named by the clip and the number of the event",
    Habit.SINGLE_PICTURES: "each render is single pictures (.dpx), numbered from 1001",
    Habit.WITH_SEQUENCE: "a sequence file comes along, in Track XML",
    Habit.NO_TITLES: "it has no titles",
    Habit.WIPES_TO_DISSOLVES: "its wipes are dissolves",
    Habit.SMALL: "a quarter as wide and as high",
    Habit.ONE_MOVIE: "the whole as one movie besides, with black before it",
    Habit.LEVELS_RIDDEN: "levels go up and down by up to 6 dB",
    Habit.LINE_REPLACED: "six seconds in the middle are others",
    Habit.REVERB: "a tail of reverberation on everything",
    Habit.LATE: "the sound is late, or early, by up to a second",
    Habit.WRONG_START: "the time reference is an hour off",
    Habit.RATE_44100: "at 44.1 kHz",
    Habit.PULL: "0.1 % longer",
    Habit.STEMS: "a file for each stem",
    Habit.LEADER: "with a leader of ten seconds before it, and a pop two seconds before the sound",
    Habit.STEP: "from a place on it follows another cut: so many frames are put in",
    Habit.INVERTED: "its polarity is inverted",
    Habit.TRACKS: "a file for each track",
    Habit.MOVED: "one picture in ten that has room behind it is moved by a few frames",
    Habit.TRIMMED: "one clip in ten ends some frames sooner",
    Habit.SLIPPED: "one clip in ten shows what its source has some frames later",
    Habit.RETIMED: "one clip in ten plays at nine tenths of its speed",
    Habit.RETITLED: "one title in three has another word at its end",
    Habit.REMOVED: "one clip in fifteen is gone, its time stays",
    Habit.INSERTED: "a second is inserted at the head",
    Habit.UNMUTED: "a channel or clip of sound that was off is on",
    Habit.PLAIN_TITLES: "titles keep their words and nothing of their looks",
    Habit.BLACK_TITLES: "black stands where its titles were",
    Habit.FREEZES_LOST: "frozen pictures play on, their time stays",
    Habit.MEDIA_MISSING: "one medium in six is not linked",
    Habit.RESIZED: "the frame is another: every picture is fitted in",
    Habit.FIRST_SOUND_LOST: "the first track of sound is empty",
}


def drawn(room: Room, seed: int) -> list[Habit]:
    """The habits of a room on one day: each as the dice fall."""
    dice = random.Random(f"{room.value} {seed}")
    return [one for one in HABITS[room] if dice.random() < 0.4]


@dataclass(frozen=True, slots=True)
class Truth:
    """Something that was done: to which item (empty for the whole), in which file, what, and how."""

    item_id: str
    file: str
    what: str
    value: str


@dataclass(slots=True)
class Done:
    """The files a room made, and what it did."""

    files: list[str] = field(default_factory=list)
    truth: list[Truth] = field(default_factory=list)

    def add(self, item_id: str, file: str, what: str, value: object = "") -> None:
        self.truth.append(Truth(item_id, file, what, str(value)))
