"""All steps, in the order in which people do them."""

from __future__ import annotations

from wexodos.tidy.angles import reduce_angles
from wexodos.tidy.choosing import (
    choose_tracks,
    drop_disabled,
    duplicate,
    empty_tracks,
    keep_picture,
    keep_range,
    keep_sound,
)
from wexodos.tidy.collapsing import collapse
from wexodos.tidy.ends import leader, start_timecode
from wexodos.tidy.kinds import KINDS, take_out
from wexodos.tidy.layers import layers
from wexodos.tidy.marks import KEYED, key_pairs, markers_at_cuts
from wexodos.tidy.sounds import channels_together, stems_in_order
from wexodos.tidy.step import Option, Step
from wexodos.tidy.unfolding import unfold

_ALL: tuple[Step, ...] = (
    Step(
        "duplicate",
        "Duplicate under a name",
        "The work goes on in a copy; {name} stands for the name it has",
        duplicate,
        (Option("name", "name", "text", "{name} tidied"),),
    ),
    Step(
        "range",
        "Keep a range",
        "The frames from one place up to another, between in and out, or those of a marker with a length",
        keep_range,
        (
            Option("from", "from", "time", "", about="a timecode, or +FRAME; the beginning where empty"),
            Option("to", "to", "time", "", about="a timecode, or +FRAME; the end where empty"),
            Option("marker", "marker", "text", "", about="the name of a marker with a length"),
            Option("marked", "between in and out", "yes", "no"),
        ),
    ),
    Step(
        "tracks",
        "Choose tracks",
        "The named tracks stay, the others go",
        choose_tracks,
        (Option("tracks", "tracks", "text", "", about="numbers or names with commas: V1, V2, Music"),),
    ),
    Step(
        "disabled",
        "Drop what is switched off",
        "Items and tracks that are neither seen nor heard",
        drop_disabled,
    ),
    Step(
        "angles",
        "Keep only the angle in use",
        "Multi-angle clips become plain clips of what is seen and heard",
        reduce_angles,
    ),
    Step(
        "unfold",
        "Unfold nested sequences",
        "What is inside stands in the cut, with the nest's place, size, speed and level",
        unfold,
    ),
    Step(
        "take-out",
        "Take out by kind",
        "What the other side cannot use; its time stays",
        take_out,
        (
            Option("kinds", "kinds", "choices", "titles", KINDS),
            Option(
                "instead",
                "instead",
                "choice",
                "leave",
                (("leave", "leave its time"), ("render", "a rendered clip")),
            ),
        ),
    ),
    Step("picture", "Keep picture only", "All sound goes", keep_picture),
    Step("sound", "Keep sound only", "All picture goes", keep_sound),
    Step(
        "collapse",
        "Fewest picture tracks",
        "Pictures come down where nothing is in the way; nothing moves in time",
        collapse,
    ),
    Step(
        "layers",
        "A layer for every picture",
        "Each on a track of its own; dissolves become overlaps",
        layers,
        (
            Option(
                "dissolves",
                "dissolves",
                "choice",
                "overlap",
                (("overlap", "as overlaps with keys of opacity"), ("keep", "as they are")),
            ),
        ),
    ),
    Step("channels", "Channels of one source together", "Side by side and in their order", channels_together),
    Step(
        "stems",
        "Sound tracks by stem",
        "In order, and named",
        stems_in_order,
        (
            Option("order", "order", "text", "dialogue, music, effects, ambience"),
            Option("names", "name them", "yes", "yes"),
        ),
    ),
    Step("empty", "Delete empty tracks", "Tracks on which nothing stands", empty_tracks),
    Step(
        "start",
        "Set the start timecode",
        "The timecode of the first frame",
        start_timecode,
        (Option("start", "starts at", "text", "01:00:00:00"),),
    ),
    Step(
        "markers",
        "Markers at cuts",
        "At the first or last frame of every picture, or both",
        markers_at_cuts,
        (
            Option(
                "where",
                "at",
                "choice",
                "in",
                (("in", "the first frame"), ("out", "the last frame"), ("both", "both")),
            ),
            Option(
                "on",
                "on",
                "choice",
                "cut",
                (("cut", "the cut itself"), ("layer", "a layer of their own")),
            ),
        ),
    ),
    Step(
        "keys",
        "A pair of keys for every shot",
        "At its first and last frame, of what is there: work on it begins there",
        key_pairs,
        (
            Option(
                "parameter",
                "of",
                "choice",
                "position",
                (*((one, one) for one in KEYED), ("markers", "markers instead of keys")),
            ),
            Option(
                "on",
                "on",
                "choice",
                "shots",
                (("shots", "the shots themselves"), ("layer", "the layer of the markers")),
            ),
        ),
    ),
    Step(
        "leader",
        "Leader, slate and sync pops",
        "Before the first frame and after the last",
        leader,
        (
            Option("slate", "slate s", "seconds", "5"),
            Option("black", "black s", "seconds", "3"),
            Option("tail", "behind s", "seconds", "4"),
            Option("distance", "pop at s", "seconds", "2"),
            Option("pops", "sync pops", "yes", "yes"),
            Option("keep", "keep the timecode of the cut", "yes", "yes"),
        ),
    ),
)
STEPS: dict[str, Step] = {one.id: one for one in _ALL}
