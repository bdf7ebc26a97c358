"""Generated sequences: written and read again, every frame and sample is where it was."""

from __future__ import annotations

from fractions import Fraction

from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.evaluate import Evaluator, state_at
from wexodos.formats import FORMATS, read_bytes
from wexodos.model import (
    NORMAL,
    Constant,
    Document,
    Effect,
    Item,
    Marker,
    Media,
    MediaUse,
    Motion,
    Raw,
    Sequence,
    Sound,
    TextRun,
    Title,
    Track,
    Transition,
    constant,
    curve,
)
from wexodos.timing import Rate

RATES = [Rate(25), Rate(24000, 1001), Rate(30000, 1001), Rate(50)]
SPEEDS = [Constant(Fraction(1, 2)), Constant(2), Constant(-1), Constant(Fraction(-1, 2)), Constant(0), Constant(Fraction(3, 4))]


@st.composite
def motions(draw: st.DrawFn) -> Motion:
    number = st.integers(-400, 400).map(float)
    moved = curve([(0, (draw(number), draw(number))), (draw(st.integers(5, 40)), (draw(number), draw(number)))])
    scale = draw(st.integers(1, 30)) / 10
    return draw(st.sampled_from([
        Motion(), Motion(position=constant(draw(number), draw(number)), scale=constant(scale, scale)), Motion(position=moved),
        Motion(rotation=constant(draw(st.integers(-720, 720))), opacity=constant(draw(st.integers(0, 10)) / 10)),
        Motion(crop=constant(0.1, 0.0, 0.25, 0.05)), Motion(opacity=curve([(0, 0.0), (12, 1.0)])),
    ]))


@st.composite
def documents(draw: st.DrawFn) -> Document:
    rate = draw(st.sampled_from(RATES))
    media = tuple(
        Media(f"m{n}", f"K{n:03d}.mov", f"/Volumes/Kiln/K{n:03d}.mov", f"K{n:03d}", draw(st.integers(0, 90_000)), False, 2000, rate,
              *draw(st.sampled_from([(1920, 1080), (1280, 720), (640, 480)])), channels=2, sample_rate=48000, bit_depth=24, video=True,
              audio=True) for n in range(3)
    )
    counter = iter(range(10_000))
    tracks: list[Track] = []
    for kind in ("video", "video", "audio", "audio"):
        items: list[Item] = []
        joins: list[Transition] = []
        at = 0
        for _ in range(draw(st.integers(1, 4))):
            gap = draw(st.sampled_from([0, 0, 7]))
            at += gap
            length = draw(st.integers(30, 90))
            retimed = draw(st.integers(0, 3)) == 0
            speed = draw(st.sampled_from(SPEEDS)) if retimed else NORMAL
            source = rate.seconds(draw(st.integers(200, 900)))
            key = f"i{next(counter)}"
            if kind == "video" and draw(st.integers(0, 5)) == 0:
                words = TextRun(draw(st.sampled_from(["Ash", "Two\nlines", "Ümläut & <b>"])), "DejaVu Sans", 54.0, color="#faf5e6ff")
                items.append(Item(key, "caption", at, length, Title((words,), (10.0, -20.0)), motion=Motion()))
            elif kind == "video":
                items.append(Item(key, f"shot {key}", at, length, MediaUse(f"m{draw(st.integers(0, 2))}"), source, speed,
                                  draw(st.integers(0, 6)) > 0, motion=draw(motions())))
            else:
                level = draw(st.sampled_from([constant(0), constant(-6), curve([(0, -60.0), (10, 0.0), (25, -12.0)], domain="gain")]))
                channels = draw(st.sampled_from([(1,), (2,), (1, 2)]))
                items.append(Item(key, f"sound {key}", at, length, MediaUse(f"m{draw(st.integers(0, 2))}"), source, speed,
                                  sound=Sound(channels, level, muted=(2,) if channels == (1, 2) and retimed else ())))
            if len(items) > 1 and gap == 0 and draw(st.booleans()):
                half = draw(st.integers(1, 12))
                other = draw(st.integers(1, 12))
                joins.append(Transition(f"t{next(counter)}", "", "dissolve" if kind == "video" else "audio-equal-power", at - half,
                                        half + other, at))
            at += length
        tracks.append(Track(kind, tuple(items), tuple(joins)))
    markers = (Marker(5, 0, "start"), Marker(20, 10, "range", "with a note", "#e2674aff"))
    sequence = Sequence("s1", "Generated", rate, 90_000, False, 1920, 1080, sample_rate=48000, tracks=tuple(tracks), markers=markers)
    return Document("xmeml", "5", (sequence,), media)


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(documents())
def test_track_xml_keeps_every_frame_and_sample(document: Document) -> None:
    again = read_bytes(FORMATS["xmeml"].write(document, "s1", "5"))
    one, other = Evaluator(document), Evaluator(again)
    first, second = document.sequences[0], again.sequences[0]
    assert first.duration == second.duration
    for frame in range(first.duration):
        assert _near(state_at(one, first, frame)) == _near(state_at(other, second, frame))


def _near(state: dict) -> dict:  # type: ignore[type-arg]
    """Round what a dialect spells in ten digits."""
    for layer in state["picture"]:
        for name in ("center", "size", "crop"):
            layer[name] = [round(value, 4) + 0.0 for value in layer[name]]
        layer["opacity"], layer["rotation"] = round(layer["opacity"], 5), round(layer["rotation"], 5) + 0.0
    for source in state["sound"]:
        if source["gain_db"] != "-inf":
            source["gain_db"] = round(source["gain_db"], 3) + 0.0
    return state


@settings(max_examples=30, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(documents())
def test_there_and_back_through_both_dialects_nothing_is_unexplained(document: Document) -> None:
    there = carry_over(document, document.sequences[0], find_destination("editing-lane-xml"))
    assert there.errors == 0, [one for one in there.findings if not one.explained]
    back = carry_over(there.returned, there.returned_sequence, find_destination("editing-track-xml"))
    assert back.errors == 0, [one for one in back.findings if not one.explained]


@settings(max_examples=20, deadline=None, suppress_health_check=[HealthCheck.too_slow, HealthCheck.data_too_large])
@given(documents(), st.sampled_from(["grading-track-xml", "grading-lane-xml", "mixing-lane-xml"]))
def test_every_destination_names_all_it_loses(document: Document, destination: str) -> None:
    carried = carry_over(document, document.sequences[0], find_destination(destination))
    assert carried.errors == 0, [one for one in carried.findings if not one.explained]


@settings(max_examples=40, deadline=None)
@given(st.dictionaries(st.from_regex(r"[a-z]{3,8}", fullmatch=True), st.from_regex(r"[A-Za-z0-9 .]{1,12}", fullmatch=True), max_size=4))
def test_kept_pieces_come_back_word_for_word(parts: dict[str, str]) -> None:
    body = "".join(f"\n   <{tag}>{text}</{tag}>" for tag, text in parts.items())
    raw = Raw("xmeml", "filter", f"<filter><effect><name>Odd</name><effectid>odd</effectid>{body}</effect></filter>")
    item = Item("i", "shot", 0, 50, MediaUse("m"), 0, motion=Motion(), effects=(Effect("Odd", raw=raw),))
    sequence = Sequence("s", "S", Rate(25), width=1920, height=1080, tracks=(Track("video", (item,)),))
    document = Document("xmeml", "5", (sequence,), (Media("m", "A.mov", "/A.mov", rate=Rate(25), duration=500, video=True),))
    (back,) = read_bytes(FORMATS["xmeml"].write(document, "s", "5")).sequences[0].items()
    assert [effect.raw for effect in back.effects] == [raw]
