"""What an item shows or plays."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TypeAlias

from wexodos.model.raw import Parameter, Raw
from wexodos.timing import Exact


@dataclass(frozen=True, slots=True)
class MediaUse:
    """A piece of a source file. ``stream`` picks one of several streams where the format says so."""

    media: str
    stream: str | None = None


@dataclass(frozen=True, slots=True)
class NestedUse:
    """A sequence used as a clip. ``silent`` names the stems inside that are switched off for this use."""

    sequence: str
    silent: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Angle:
    """One angle of a multi-angle clip.

    ``sequence`` is an angle that is itself edited (a nested sequence); ``media`` a single source. ``offset``
    seconds are added to the item's source time to reach the angle's own.
    """

    id: str
    name: str
    media: str | None = None
    sequence: str | None = None
    offset: Exact = 0


@dataclass(frozen=True, slots=True)
class Angles:
    """A multi-angle clip with the angle seen and the angles heard."""

    angles: tuple[Angle, ...]
    video: str | None
    audio: str | None
    name: str = ""
    id: str = ""

    def angle(self, angle_id: str | None) -> Angle | None:
        return next((angle for angle in self.angles if angle.id == angle_id), None)


@dataclass(frozen=True, slots=True)
class Shadow:
    """A shadow under words: ``distance`` and ``blur`` in frame pixels, ``angle`` in degrees anticlockwise
    from the right."""

    color: str = "#000000ff"
    distance: float = 0.0
    angle: float = 315.0
    blur: float = 0.0


@dataclass(frozen=True, slots=True)
class TextRun:
    """A stretch of text in one style; ``None`` where the file leaves it to the template. ``size`` in frame
    pixels."""

    text: str
    font: str | None = None
    size: float | None = None
    bold: bool = False
    italic: bool = False
    color: str | None = None
    align: str | None = None
    underline: bool = False
    tracking: float | None = None
    leading: float | None = None
    outline_color: str | None = None
    outline_width: float | None = None
    shadow: Shadow | None = None


@dataclass(frozen=True, slots=True)
class Roll:
    """Text that moves: ``direction`` is ``"up"`` for a roll, ``"left"`` for a crawl.

    ``gap`` is the space between the two columns of a roll of credits, in percent of the frame's width.
    """

    direction: str
    gap: float | None = None


@dataclass(frozen=True, slots=True)
class Title:
    """Words on the picture. ``origin`` in pixels of the frame from its centre, x right, y down.

    ``bar`` is the colour of a bar behind the words; ``template`` the format's own name for what draws it.
    ``words_known`` is False where the file holds a title without its text. ``parameters`` are the settings of
    the template that we do not understand, ``raw`` what its own dialect needs to have them back.
    """

    runs: tuple[TextRun, ...]
    origin: tuple[float, float] = (0.0, 0.0)
    roll: Roll | None = None
    bar: str | None = None
    template: str = ""
    words_known: bool = True
    parameters: tuple[Parameter, ...] = ()
    raw: tuple[Raw, ...] = ()

    @property
    def words(self) -> str:
        return "".join(run.text for run in self.runs)

    @property
    def lines(self) -> list[list[TextRun]]:
        """The runs of each line, without the line breaks; a run that goes over a break is cut there."""
        found: list[list[TextRun]] = [[]]
        for run in self.runs:
            for number, piece in enumerate(run.text.split("\n")):
                if number:
                    found.append([])
                if piece:
                    found[-1].append(replace(run, text=piece))
        return found


@dataclass(frozen=True, slots=True)
class Generator:
    """A picture or sound that is made, not read: ``colour``, ``black``, ``bars``, ``tone``, ``gradient``,
    ``slate`` …

    ``name`` is the format's own name; ``parameters`` are (name, value) pairs as text; ``raw`` is its spelling
    in the dialect it came from.
    """

    kind: str
    name: str = ""
    color: str | None = None
    parameters: tuple[tuple[str, str], ...] = ()
    raw: tuple[Raw, ...] = ()


@dataclass(frozen=True, slots=True)
class Adjustment:
    """Shows nothing; its effects act on everything below."""


Content: TypeAlias = MediaUse | NestedUse | Angles | Title | Generator | Adjustment
