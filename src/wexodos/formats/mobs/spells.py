"""What AAF and OMF can spell alike."""

from __future__ import annotations

from dataclasses import replace

from wexodos.formats.assumed import frame_size, sample_rates
from wexodos.formats.mobs.settle import anchors, by_stem, mutes, told_apart, turns, without_pictures
from wexodos.formats.mobs.settle_joins import edges
from wexodos.formats.mobs.settle_ranges import (
    from_the_first_frame,
    keys_inside,
    media_reach,
    sizes_told,
)
from wexodos.formats.mobs.settle_units import units
from wexodos.formats.naming import names
from wexodos.settling.spells import MarkerSpelling, NameSpelling, Spells, Stage, Step, TitleSpelling

_STEPS: dict[Stage, tuple[Step, ...]] = {
    Stage.CONTENT: (without_pictures, by_stem, mutes),
    Stage.SPEED: (turns,),
    Stage.JOINS: (anchors,),
    Stage.MOTION: (edges,),
    # A ramp that is straight inside its clip begins on an edit unit like any other speed; edges that go to
    # the nearest unit may leave keys outside.
    Stage.PLACES: (from_the_first_frame, keys_inside, units, keys_inside, media_reach),
    Stage.NAMES: (sample_rates, frame_size, sizes_told, names, told_apart),
}
MOBS = Spells(
    level_domain="gain",
    sequence_fields=frozenset(),
    ids=False,
    before_start=False,
    hollow_nests=False,
    nested_sound=False,
    off_hides_mutes=True,
    track_off_hides_mutes=True,
    folders=False,
    links=False,
    keeps_unread=False,
    unused_media=lambda media, pictures: pictures or media.audio,
    makes_sound=True,
    wanders=True,
    edit_units=True,
    titles=TitleSpelling(
        aligns=frozenset({"left", "center", "right"}), tracking=False, leading=False, see_through=False
    ),
    markers=MarkerSpelling(before_start=False, one_frame=False),
    steps=_STEPS,
)
"""Mobs and slots, with names of any letters."""


def in_plain_letters(name_spelling: NameSpelling, *further: Step) -> Spells:
    """The same with names in plain letters, and further steps at their place."""
    steps = {**_STEPS, Stage.NAMES: (*further, *_STEPS[Stage.NAMES])}
    return replace(MOBS, names=name_spelling, steps=steps)
