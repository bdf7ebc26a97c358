"""The check of structure finds what is planted in a file, in AAF and in OMF."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import pytest

from wexodos.formats import aaf, omf
from wexodos.formats.aaf import writer as aaf_writer
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.writing import mobs_of
from wexodos.formats.omf import writer as omf_writer
from wexodos.formats.spelling import Spelling
from wexodos.model import Document, Fade, Motion, Sequence, Sound, Track, Transition, constant

from .structure_aaf import faults_of_aaf, head_faults
from .structure_omf import faults_of_omf
from .test_written_mobs import BOOM, PAL, WIDE, clip, heard

pytestmark = pytest.mark.loose


def cut() -> Document:
    pictures = (clip("a", 0, 50), clip("b", 50, 50, 300, motion=Motion("fit", scale=constant(0.5, 0.5))))
    sounds = (
        heard("s", 0, 50, Sound((1,), constant(-6.0), fade_in=Fade(10))),
        heard("t", 60, 40, Sound((2,), fade_out=Fade(5)), 10),
    )
    join = Transition("j", "Dissolve", "dissolve", 44, 12, 50)
    sequence = Sequence(
        "q",
        "Kiln Night",
        PAL,
        90_000,
        width=1920,
        height=1080,
        sample_rate=48000,
        tracks=(Track("video", pictures, (join,)), Track("audio", sounds, name="Dialogue")),
    )
    return Document("", "", (sequence,), (WIDE, BOOM))


def parts_of(file: tree.File, kind: str) -> list[tree.Segment]:
    slot = next(one for one in file.mobs[file.top[0]].slots if one.segment.kind == kind)
    assert isinstance(slot.segment, tree.Sequence)
    return slot.segment.parts


def clips(file: tree.File, kind: str) -> list[tree.SourceClip]:
    found, stack = [], list(parts_of(file, kind))
    while stack:
        one = stack.pop(0)
        if isinstance(one, tree.SourceClip):
            found.append(one)
        stack.extend(tree.inside(one))
    return found


def files(file: tree.File) -> list[tree.Mob]:
    return [mob for mob in file.mobs.values() if mob.descriptor is not None and mob.descriptor.role == "file"]


def late(file: tree.File, kind: str) -> None:
    clips(file, kind)[0].start += 5_000_000


def nowhere(file: tree.File, kind: str) -> None:
    clips(file, kind)[0].slot = 77


def before(file: tree.File, kind: str) -> None:
    clips(file, kind)[0].start = -1


def faded(file: tree.File, kind: str) -> None:
    one = clips(file, kind)[-1]
    one.fade_in = one.fade_out = (int(one.length), "linear")


def crossing(file: tree.File, kind: str) -> None:
    for one in parts_of(file, kind):
        if isinstance(one, tree.Transition):
            one.cut = one.length + 1


def longer(file: tree.File, kind: str) -> None:
    for one in parts_of(file, kind):
        if isinstance(one, tree.Transition):
            one.length = one.effect.length = one.length * 6


def at_the_end(file: tree.File, kind: str) -> None:
    row = parts_of(file, kind)
    row.append(next(one for one in row if isinstance(one, tree.Transition)))


def short(file: tree.File, kind: str) -> None:
    del parts_of(file, kind)[1:]


def early_point(file: tree.File, kind: str) -> None:
    for one in parts_of(file, kind):
        if isinstance(one, tree.Transition):
            one.effect.parameters["level"] = tree.Varying([tree.Point(-1, 0.0), tree.Point(1, 1.0)])


def two_inputs(file: tree.File, kind: str) -> None:
    for one in parts_of(file, kind):
        if isinstance(one, tree.Operation):
            one.inputs.append(one.inputs[0])


def wider(file: tree.File, kind: str) -> None:
    for one in parts_of(file, kind):
        if isinstance(one, tree.Operation):
            one.length += 1


def shorter_medium(file: tree.File, kind: str) -> None:
    for mob in files(file):
        assert mob.descriptor is not None
        mob.descriptor = replace(mob.descriptor, length=int(mob.descriptor.length or 0) // 2)


def sizeless(file: tree.File, kind: str) -> None:
    for mob in files(file):
        assert mob.descriptor is not None
        mob.descriptor = replace(mob.descriptor, width=None)


def twice_numbered(file: tree.File, kind: str) -> None:
    slots = file.mobs[file.top[0]].slots
    slots[-1].id = slots[0].id


PLANTED: dict[str, tuple[Callable[[tree.File, str], None], str]] = {
    "a clip past its medium": (late, " of "),
    "a clip of a track that is not there": (nowhere, "77"),
    "a clip before its medium": (before, " of "),
    "fades longer than their clip": (faded, "fades of"),
    "a cut outside its transition": (crossing, "cut at"),
    "a transition longer than its neighbours": (longer, "around a part of"),
    "a transition at the end": (at_the_end, "at an end"),
    "a track that ends early": (short, "tracks of"),
    "a control point before the start": (early_point, "control points"),
    "an effect with an input too many": (two_inputs, "2 inputs"),
    "an effect longer than what it is done to": (wider, " over "),
    "a medium shorter than its slots": (shorter_medium, " s"),
    "two tracks of one number": (twice_numbered, "s ["),
}


@pytest.mark.parametrize("fault", PLANTED)
@pytest.mark.parametrize("dialect", ["aaf", "omf"])
@pytest.mark.sampled(4)
def test_a_planted_fault_is_found(fault: str, dialect: str, monkeypatch: pytest.MonkeyPatch) -> None:
    plant, words = PLANTED[fault]
    kind = "sound" if dialect == "omf" or "fade" in fault else "picture"
    writer, look, format_ = (
        (aaf_writer, faults_of_aaf, aaf) if dialect == "aaf" else (omf_writer, faults_of_omf, omf)
    )
    how = Spelling(fades="transitions")
    assert look(format_.write(cut(), "q", "2", how)) == []

    def spoilt(*given: object, **named: object) -> tree.File:
        made = mobs_of(*given, **named)  # type: ignore[arg-type]
        plant(made, kind)
        return made

    monkeypatch.setattr(writer, "mobs_of", spoilt)
    found = look(format_.write(cut(), "q", "2", how))
    assert any(words in one for one in found), found


def test_a_picture_without_a_size_is_found(monkeypatch: pytest.MonkeyPatch) -> None:
    made = mobs_of(cut(), "q", Spelling())
    sizeless(made, "")
    monkeypatch.setattr(aaf_writer, "mobs_of", lambda *_: made)
    assert any("size 0 x" in one for one in faults_of_aaf(aaf.write(cut(), "q", "1.1", None)))


def test_bytes_of_an_omf_that_do_not_belong_there_are_found() -> None:
    data = omf.write(cut(), "q", "2", None)
    assert faults_of_omf(data) == []
    for was, now in (
        (b"OMFI:SCLP:StartTime\0", b"OMFI:SCLP:StartTimf\0"),
        (b"RIFF", b"RIFX"),
        (b"TRKD", b"TRKE"),
    ):
        assert was in data and faults_of_omf(data.replace(was, now, 1)) != []
    assert faults_of_omf(data[:-1]) != []


def test_heads_are_held_to_what_they_should_hold() -> None:
    chunk = b"fmt \x10\0\0\0\x01\0\x01\0\x80\xbb\0\0\x80\x32\x02\0\x03\0\x18\0"
    whole = b"RIFF\0\0\0\0WAVE" + chunk + b"data\x1e\0\0\0" + bytes(30)
    assert head_faults(whole, True, 10, True) == [] and head_faults(whole[:-30], True, 10) == []
    assert head_faults(whole, True, 11) and head_faults(whole[:-1], True, 10, True)
    assert head_faults(whole, False, 10) and head_faults(
        whole.replace(b"\x03\0\x18", b"\x02\0\x18"), True, 15
    )
