"""What a format can spell, declared by its own package: carry-over asks here and knows no format by name."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import Enum
from typing import TYPE_CHECKING, Literal, TypeAlias

from wexodos.evaluate.tolerances import DIGITS, Precision
from wexodos.model import Document, Item, Media, Motion
from wexodos.timing import Exact, Rate

if TYPE_CHECKING:
    from wexodos.settling.context import Context, Work

Step: TypeAlias = "Callable[[Context, Work], None]"
"""Adapts the sequence at work; see ``settling/context.py``."""


class Stage(Enum):
    """When a format's own settling steps run: after the generic ones of the same stage."""

    CONTENT = "which items go, on which tracks, and what they show"
    SPEED = "at which speed"
    JOINS = "how they are joined"
    MOTION = "where they stand"
    PLACES = "on which frames and samples"
    NAMES = "what they are called"
    SETTINGS = "what the sequence says of itself"


@dataclass(frozen=True, slots=True, kw_only=True)
class TitleSpelling:
    """What words can be. ``bar_lines``: how many lines a bar may stand behind (None: any). ``bar_rolls``:
    whether a bar goes with moving words. ``outline_dressed``: whether words with a bar or that move have
    outlines.
    ``see_through``: whether a colour of words has
    an alpha."""

    bar_lines: int | None = None
    bar_rolls: bool = True
    outline_dressed: bool = True
    aligns: frozenset[str] | None = None
    tracking: bool = True
    leading: bool = True
    see_through: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkerSpelling:
    """What markers can be. ``kinds``: None for all. ``before_start``: may stand before the first frame of the
    sequence. ``outside_items``: may lie outside what an item uses. ``one_frame``: a length of one frame is
    another than none. ``plain``: words on one line of plain letters, colours from ``palette``, no length."""

    kinds: frozenset[str] | None = None
    before_start: bool = True
    outside_items: bool = True
    one_frame: bool = True
    plain: Callable[[str], str] | None = None
    palette: Callable[[str | None], str | None] | None = None
    lengths: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class NameSpelling:
    """``plain`` turns a name into letters and a length that can be written (None: any name goes)."""

    plain: Callable[[str, int], str] | None = None
    name_length: int = 0
    track_length: int = 0


SEQUENCE_FIELDS = frozenset({"note", "folder", "metadata", "bit_depth", "audio_layout"})
"""Fields of a sequence that nothing seen or heard hangs on."""


def any_aspect(_aspect: Exact) -> bool:
    """Every pixel aspect has a form."""
    return True


@dataclass(frozen=True, slots=True, kw_only=True)
class Spells:
    """What a format can spell at all; a destination may take less.

    ``ids``: ids of items survive writing and reading. ``transitions``: the kinds a writer can spell, None for
    all.
    ``before_start``: items may begin before the sequence's first frame. ``hollow_nests``: a nest may be used
    for picture (or sound) it has none of. ``nested_sound``: the sound of a nest can be used as a whole, all
    its tracks together. ``adjustments``: adjustment items with the format's own filters.
    ``sounding_generators``: a tone can be heard without a file.
    ``uneven_by_corners``: width and height scaled apart are said by the corners: whether it can for a motion.
    ``loudest``: the highest level in dB. ``level_domain``: whether levels run straight in gain between keys,
    or in dB (``plain``). ``off_hides_mutes``: a clip that is off says nothing of its channels;
    ``track_off_hides_mutes``: nor does one on a track that is off. ``source_frames``: the rate whose whole
    frames the source of an item must begin on, where sound counts frames; None where the format's own steps
    settle it. ``speed_points_on_frames``: the points of a ramp stand on whole frames. ``links``: items say
    that they belong together. ``stems_on_clips``: the stem of a track stands on its clips.
    ``sequence_fields``: which of ``SEQUENCE_FIELDS`` a sequence can say. ``marked_range``, ``pixel_aspect``:
    what a sequence can say. ``media_fields``: what of a medium's metadata has a form. ``folders``: folders
    of media.
    ``keeps_unread``: pieces of its own dialect that nobody understands are written back.
    ``unused_media``: which unused media can go. ``makes_sound``: can hold or link sound made for a turnover.
    ``relative_places``: media can be named as seen from the file.
    ``wanders``: media only used by what does not go stay away. ``reference``: a reference picture can be
    linked.
    ``edit_units``: sound cuts fall on units of a rate of their own. ``keeps_everything``: a place for all
    that is known. ``precision``: how far what is read back may lie from what was written. ``steps``: its own
    settling steps. ``recognised``: gives what was read back the words of what was written, where the format
    cannot say them. ``by_meaning``: gives a document with what its kept pieces refer to in place of ids that
    every file hands out anew, for comparing.
    """

    ids: bool = True
    transitions: frozenset[str] | None = None
    before_start: bool = True
    hollow_nests: bool = True
    nested_sound: bool = True
    adjustments: bool = False
    sounding_generators: bool = True
    uneven_by_corners: Callable[[Motion], bool] | None = None
    loudest: float | None = None
    level_domain: Literal["plain", "gain"] = "plain"
    off_hides_mutes: bool = False
    track_off_hides_mutes: bool = False
    source_frames: Callable[[Item, Media | None, Rate, bool], Rate] | None = None
    speed_points_on_frames: bool = False
    marked_range: bool = False
    sequence_fields: frozenset[str] = SEQUENCE_FIELDS
    links: bool = True
    stems_on_clips: bool = False
    pixel_aspect: Callable[[Exact], bool] = any_aspect
    media_fields: Callable[[str], bool] | None = None
    folders: bool = True
    keeps_unread: bool = True
    unused_media: Callable[[Media, bool], bool] | None = None
    makes_sound: bool = False
    relative_places: bool = False
    wanders: bool = False
    reference: bool = False
    edit_units: bool = False
    keeps_everything: bool = False
    titles: TitleSpelling = TitleSpelling()
    markers: MarkerSpelling = MarkerSpelling()
    names: NameSpelling = NameSpelling()
    precision: Precision = DIGITS
    steps: Mapping[Stage, tuple[Step, ...]] = field(default_factory=dict)
    recognised: Callable[[Document, Document], Document] | None = None
    by_meaning: Callable[[Document], Document] | None = None
