"""Names and notes that no file can hold as they are: cleaned at the entrance and said, and carried over everywhere."""

from __future__ import annotations

from dataclasses import replace

import pytest

from proof.cut import cut
from wexodos.carryover import carry_over
from wexodos.destinations import find_destination
from wexodos.formats import read_bytes
from wexodos.formats.signs import with_letters
from wexodos.ground.letters import name_of, words_of
from wexodos.model import Document

HOSTILE = {
    "slashes": "a/b\\c",
    "controls": "a\x07b\x1bc",
    "lines": "a\nb\tc",
    "direction": "\u202eabc\u200f",
    "long": "x" * 5000,
    "wide": "窯" * 120,
    "reserved": "CON",
    "dots": "..",
    "empty": "",
    "blanks": "  a  ",
    "signs": 'a|b*c?"<>&amp;%41',
    "pictogram": "\U0001f525" * 40,
    "no character": "a\ufffeb",
    "nought": "a\0b",
    "line ends": "\r\n",
}


@pytest.mark.parametrize(
    ("text", "name", "words"),
    [
        ("Kiln Night", "Kiln Night", "Kiln Night"),
        ("a\r\nb\tc", "a b c", "a\nb\tc"),
        (" \u202ea\u2066b\u200f\x07 ", "ab", "ab"),
        ("a\ud800b\ufeffc", "abc", "abc"),
        # What joins letters stays.
        (
            "می\u200cخواهم \U0001f469\u200d\U0001f373",
            "می\u200cخواهم \U0001f469\u200d\U0001f373",
            "می\u200cخواهم \U0001f469\u200d\U0001f373",
        ),
        ("x" * 5000, "x" * 1000, "x" * 4000),
    ],
)
def test_what_is_no_letter_goes_out(text: str, name: str, words: str) -> None:
    assert (name_of(text), words_of(text)) == (name, words)


def named(text: str) -> Document:
    whole = cut()
    sequence = whole.sequences[0]
    marks = tuple(replace(one, name=text, comment=text) for one in sequence.markers)
    tracks = tuple(
        replace(
            track,
            name=text if place == 0 else track.name,
            items=tuple(
                replace(
                    item,
                    name=text,
                    note=text,
                    markers=tuple(replace(one, name=text, comment=text) for one in item.markers),
                )
                if number < 2
                else item
                for number, item in enumerate(track.items)
            ),
        )
        for place, track in enumerate(sequence.tracks)
    )
    first = replace(whole.media[0], name=text, path=f"/V/{text}", reel=text)
    made = replace(sequence, name=text, tracks=tracks, markers=marks)
    return with_letters(replace(whole, sequences=(made,), media=(first, *whole.media[1:])))


@pytest.mark.parametrize(
    "destination",
    ["editing-track-xml", "editing-lane-xml", "finishing-aaf", "mixing-omf", "cut-list-edl", "archive-otio"],
)
@pytest.mark.parametrize("kind", HOSTILE)
@pytest.mark.sampled(8)
def test_no_name_makes_a_difference_that_nothing_explains(kind: str, destination: str) -> None:
    document = named(HOSTILE[kind])
    carried = carry_over(document, document.sequences[0], find_destination(destination))
    assert [(one.what, one.before, one.after) for one in carried.findings if not one.explained] == []


def test_what_went_out_is_said_once_and_blanks_around_a_name_are_nothing_to_say() -> None:
    def read(name: str) -> Document:
        return read_bytes(
            f"""<?xml version="1.0"?><!DOCTYPE xmeml><xmeml version="5"><sequence id="s"><name>{name}</name>
            <rate><timebase>25</timebase></rate><media><video><track/></video></media></sequence></xmeml>""".encode()
        )

    turned = read("Kiln\u202e Night")
    assert turned.sequences[0].name == "Kiln Night"
    assert [(note.code, note.where) for note in turned.notes if note.code == "signs"] == [("signs", "s")]
    plain = read("  Kiln Night ")
    assert plain.sequences[0].name == "Kiln Night" and not any(note.code == "signs" for note in plain.notes)


def test_a_list_says_which_files_it_cannot_name() -> None:
    document = named("窯" * 3)
    carried = carry_over(document, document.sequences[0], find_destination("cut-list-edl"))
    (found,) = (one for one in carried.findings if one.what == "file name")
    assert (found.before, found.after, found.minutes) == ("/V/窯窯窯", "/V/m1", 1)
