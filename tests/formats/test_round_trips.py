"""Generated sequences: written and read again, every frame and sample is where it was."""

from __future__ import annotations

from typing import Any

from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from generated import documents, examples
from wexodos.carryover import Carried, carry_over
from wexodos.destinations import find_destination
from wexodos.formats import FORMATS, WriteError, read_bytes
from wexodos.model import Document, Effect, Item, Media, MediaUse, Motion, Raw, Sequence, Sound, Track
from wexodos.timing import Rate

EDITING = {"xmeml": "editing-track-xml", "fcpxml": "editing-lane-xml"}
SETTINGS: dict[str, Any] = {
    # A failing document is large; looking for a smaller one takes minutes and tells no more than its
    # differences do.
    "derandomize": True,
    "phases": [Phase.explicit, Phase.reuse, Phase.generate],
    "deadline": None,
    "suppress_health_check": [
        HealthCheck.too_slow,
        HealthCheck.data_too_large,
        HealthCheck.large_base_example,
    ],
}
# What may differ after a trip through the own dialect: places and numbers that it cannot spell, each named
# with how far.
OWN = {
    "xmeml": {
        "position",
        "scale",
        "rotation",
        "anchor",
        "crop",
        "corners",
        "opacity",
        "level",
        "fades",
        "channels",
        "speed ramp",
        "marker",
        "style",
        "bar",
        "multicam",
        "source in",
        "Gaussian Blur",
        "Desaturate",
    },
    "fcpxml": {
        "position",
        "scale",
        "rotation",
        "anchor",
        "crop",
        "corners",
        "opacity",
        "level",
        "audio-linear",
        "marker",
        "bar",
        "multicam",
        "track",
        "Gaussian Blur",
        "Desaturate",
        "ASC CDL",
        "label",
        "alpha",
        # What stands at one place is one clip there, and nothing else is.
        "links",
        "new links",
    },
}


def errors(carried: Carried) -> list[tuple[object, ...]]:
    return [
        (one.kind, one.what, one.item_id, one.before, one.after)
        for one in carried.findings
        if not one.explained
    ]


@settings(max_examples=examples(30), **SETTINGS)
@given(st.sampled_from(["xmeml", "fcpxml"]).flatmap(documents))
def test_from_dialect_to_dialect_and_back_every_frame_is_the_same_or_named(document: Document) -> None:
    steps = ["editing-lane-xml", "editing-track-xml"]
    if document.format == "fcpxml":
        steps.reverse()
    read, sequence = document, document.sequences[0]
    for step in (*steps, *steps):
        carried = carry_over(read, sequence, find_destination(step))
        assert errors(carried) == [], step
        read, sequence = carried.returned, carried.returned_sequence


@settings(max_examples=examples(16), **SETTINGS)
@given(st.sampled_from(["xmeml", "fcpxml"]).flatmap(documents))
def test_the_own_dialect_holds_everything_it_can_spell(document: Document) -> None:
    carried = carry_over(document, document.sequences[0], find_destination(EDITING[document.format]))
    assert errors(carried) == []
    assert {one.what for one in carried.findings} <= OWN[document.format]
    # And what was read back from it is spelled again without any loss.
    again = carry_over(
        carried.returned, carried.returned_sequence, find_destination(EDITING[document.format])
    )
    # Markers of the sequence stand on gaps there, and do so again.
    assert [(one.what, one.item_id, one.why) for one in again.findings if one.kind != "marker"] == []


@settings(max_examples=examples(16), **SETTINGS)
@given(
    st.sampled_from(["xmeml", "fcpxml"]).flatmap(documents),
    st.sampled_from(["grading-track-xml", "grading-lane-xml", "mixing-lane-xml"]),
)
def test_every_destination_names_all_it_loses(document: Document, destination: str) -> None:
    carried = carry_over(document, document.sequences[0], find_destination(destination))
    assert errors(carried) == []


# From format to format, each read from the very bytes that were written.
WAYS = (
    ("finishing-aaf", "editing-lane-xml", "mixing-omf", "editing-track-xml"),
    ("archive-otio", "mixing-aaf-embedded", "archive-otio", "mixing-omf"),
    ("cut-list-edl", "grading-aaf", "cut-list-edl"),
    ("mixing-omf", "mixing-aaf-linked", "editing-lane-xml"),
)


@settings(max_examples=examples(12), **SETTINGS)
@given(st.sampled_from(["xmeml", "fcpxml"]).flatmap(documents), st.sampled_from(WAYS))
def test_through_all_formats_every_frame_and_sample_is_the_same_or_named(
    document: Document, way: tuple[str, ...]
) -> None:
    read = document
    for step in way:
        sequence = read.top_level[0]
        if step == "cut-list-edl" and not any(
            item.enabled and isinstance(item.content, MediaUse) for item in sequence.items()
        ):
            return
        try:
            carried = carry_over(read, sequence, find_destination(step))
        except WriteError as error:
            # A list needs events; a cut whose clips are all switched off has none.
            assert "nothing in it" in str(error)
            return
        assert errors(carried) == [], step
        read = read_bytes(carried.data)


def test_cuts_at_samples_between_frames_survive_aaf_and_omf_exactly() -> None:
    units = Rate(48000)
    for rate in (Rate(25), Rate(24)):
        places = [rate.frames(units.seconds(sample)) for sample in (1, 1919, 48_001, 96_000, 100_003)]
        items = tuple(
            Item(f"i{n}", f"i{n}", a, b - a, MediaUse("m"), units.seconds(7 * n + 3), sound=Sound((1,)))
            for n, (a, b) in enumerate(zip(places, places[1:]))
        )
        media = Media(
            "m",
            "boom.wav",
            "/k/boom.wav",
            "S1",
            0,
            False,
            10_000,
            rate,
            channels=1,
            sample_rate=48000,
            audio=True,
        )
        document = Document(
            "xmeml",
            "5",
            (Sequence("s", "Cut", rate, sample_rate=48000, tracks=(Track("audio", items, name="A"),)),),
            (media,),
        )
        for name in ("mixing-aaf-embedded", "mixing-omf"):
            carried = carry_over(document, document.sequences[0], find_destination(name))
            back = carried.returned_sequence.audio_tracks[0].items
            assert [(one.start, one.duration, one.source_in) for one in back] == [
                (one.start, one.duration, one.source_in) for one in items
            ]
            assert [one.what for one in carried.findings if one.kind != "media"] == []


@settings(max_examples=examples(40), deadline=None)
@given(
    st.dictionaries(
        st.from_regex(r"[a-z]{3,8}", fullmatch=True),
        st.from_regex(r"[A-Za-z0-9 .]{1,12}", fullmatch=True),
        max_size=4,
    )
)
def test_kept_pieces_come_back_word_for_word(parts: dict[str, str]) -> None:
    body = "".join(f"\n   <{tag}>{text}</{tag}>" for tag, text in parts.items())
    raw = Raw(
        "xmeml", "filter", f"<filter><effect><name>Odd</name><effectid>odd</effectid>{body}</effect></filter>"
    )
    item = Item("i", "shot", 0, 50, MediaUse("m"), 0, motion=Motion(), effects=(Effect("Odd", raw=raw),))
    sequence = Sequence("s", "S", Rate(25), width=1920, height=1080, tracks=(Track("video", (item,)),))
    document = Document(
        "xmeml", "5", (sequence,), (Media("m", "A.mov", "/A.mov", rate=Rate(25), duration=500, video=True),)
    )
    (back,) = read_bytes(FORMATS["xmeml"].write(document, "s", "5")).sequences[0].items()
    assert [effect.raw for effect in back.effects] == [raw]
