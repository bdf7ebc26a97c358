"""Faults planted in the writers: every one is told by the third book."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from typing import Any

import pytest

from proof.cut import FAULTS, cut
from wexodos.carryover import Carried, Plan, carry_over, plan
from wexodos.destinations import find_destination
from wexodos.formats import FORMATS, read_bytes
from wexodos.model import Document, Sequence

DESTINATIONS = (
    "editing-track-xml",
    "editing-lane-xml",
    "finishing-aaf",
    "mixing-aaf-linked",
    "mixing-omf",
    "cut-list-edl",
    "archive-otio",
)


def spoiled(document: Document, fault: str) -> Document | None:
    """The document as a faulty writer would take it; None where it holds nothing of the kind."""
    top = document.top_level[0]
    new = FAULTS[fault](top)
    if new is None:
        return None
    return replace(document, sequences=tuple(new if one is top else one for one in document.sequences))


@pytest.mark.parametrize("destination", DESTINATIONS)
def test_the_cut_itself_balances(destination: str) -> None:
    carried = carry_over(cut(), cut().sequences[0], find_destination(destination))
    assert [(one.book, one.what, one.item) for one in carried.findings if not one.explained] == []


def unnamed(document: Document) -> tuple[Sequence, ...]:
    """The sequences without the names of transitions, which are the format's own words for their kinds."""
    return tuple(
        replace(
            one,
            tracks=tuple(
                replace(track, transitions=tuple(replace(join, name="") for join in track.transitions))
                for track in one.tracks
            ),
        )
        for one in document.sequences
    )


@lru_cache
def honest_writing(destination: str) -> tuple[Plan, tuple[Sequence, ...]]:
    """The plan, and what is read back of what an honest writer makes of it."""
    target = find_destination(destination)
    made = plan(cut(), cut().sequences[0], target)
    return made, unnamed(read_bytes(FORMATS[target.format].write(made.document, "s1", target.version, None)))


def written_with(fault: str, destination: str, monkeypatch: pytest.MonkeyPatch) -> Carried | None:
    """A carry-over whose writer loses or changes one thing; None where there is none to be lost."""
    document = cut()
    target = find_destination(destination)
    whole = FORMATS[target.format]
    planned, honest = honest_writing(destination)
    spoilt = spoiled(planned.document, fault)
    if spoilt is None or spoilt == planned.document:
        return None
    bad = unnamed(read_bytes(whole.write(spoilt, "s1", target.version, None)))
    if honest == bad:
        return None

    def faulty(given: Document, key: str, version: str, how: Any) -> bytes:
        bad = spoiled(given, fault)
        return whole.write(bad if bad is not None else given, key, version, how)

    monkeypatch.setitem(FORMATS, target.format, replace(whole, write=faulty))
    return carry_over(document, document.sequences[0], target)


@pytest.mark.parametrize("destination", DESTINATIONS)
@pytest.mark.parametrize("fault", FAULTS)
@pytest.mark.sampled(15)
def test_a_fault_of_a_writer_is_told(fault: str, destination: str, monkeypatch: pytest.MonkeyPatch) -> None:
    carried = written_with(fault, destination, monkeypatch)
    if carried is None or (fault, destination) == ("a sound slipped by ten samples", "finishing-aaf"):
        # The second: sound stands on whole frames there, the plan has settled it, a part of a frame has no form.
        pytest.skip("there is nothing of the kind to be lost")
    assert carried.errors > 0
    assert carried.unbalanced == ("what was written",)
    assert "no silent loss" not in carried.verdict
    assert "what was written does not balance" in carried.verdict


FACTS: dict[str, dict[str, object]] = {
    "another size": {"width": 1280},
    "another number of channels": {"channels": 5},
    "another sample rate": {"sample_rate": 44_100},
    "another depth": {"bit_depth": 16},
    "another length": {"duration": 12_345},
}


@pytest.mark.parametrize(
    "destination", ["editing-track-xml", "editing-lane-xml", "finishing-aaf", "archive-otio"]
)
@pytest.mark.parametrize("fact", FACTS)
@pytest.mark.sampled(4)
def test_what_a_writer_says_wrongly_of_media_is_told(
    fact: str, destination: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    document, target = cut(), find_destination(destination)
    whole = FORMATS[target.format]

    def lied(given: Document) -> Document:
        media = tuple(
            replace(
                one, **{key: value for key, value in FACTS[fact].items() if getattr(one, key) is not None}
            )  # type: ignore[arg-type]
            for one in given.media
        )
        return replace(given, media=media)

    planned = plan(document, document.sequences[0], target).document
    honest, bad = (
        read_bytes(whole.write(one, "s1", target.version, None)) for one in (planned, lied(planned))
    )
    if honest.media == bad.media:
        pytest.skip("this format does not say it")
    monkeypatch.setitem(
        FORMATS, target.format, replace(whole, write=lambda given, *rest: whole.write(lied(given), *rest))
    )
    carried = carry_over(document, document.sequences[0], target)
    assert carried.unbalanced == ("what was written",)
