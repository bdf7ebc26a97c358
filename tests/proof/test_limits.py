"""Limits and sides of the books, each with a value worked out by hand."""

from __future__ import annotations

from dataclasses import replace

import msgspec
import pytest

from proof.cut import cut, heard
from wexodos.carryover import Homecoming, plan
from wexodos.carryover.promises import _allowed
from wexodos.compare.alike import Alike
from wexodos.compare.match import Placed
from wexodos.destinations import find_destination
from wexodos.evaluate import Raster
from wexodos.ground import UnprovedError
from wexodos.model import Sound
from wexodos.settling.changes import Reason
from wexodos.settling.vocabulary import Cause, Fate, Kind


def test_a_promise_goes_as_far_as_the_finding_states_and_what_nobody_hears() -> None:
    reason = Reason(Cause.LEVELS_FOLLOWED, Kind.LEVEL, "level", "", "", "", 0, 0, Fate.ADAPTED, "", "")
    assert _allowed(reason, 0.05) == 0.05
    reason.deviation = (0.09, "dB")
    assert _allowed(reason, 0.05) == pytest.approx(0.14)
    same = replace(reason, cause=Cause.SPELLED)
    assert _allowed(same, 0.05) == 0.05


@pytest.mark.parametrize(("muted", "kept", "side"), [(1, 2, 1.0), (2, 1, -1.0)])
def test_the_channel_that_stays_of_a_pair_is_heard_from_its_own_side(
    muted: int, kept: int, side: float
) -> None:
    whole = cut().sequences[0]
    pair = heard("a9", 0, 50, Sound((1, 2), muted=(muted,)))
    sequence = replace(whole, tracks=(replace(whole.tracks[2], items=(pair,), transitions=()),), markers=())
    document = replace(cut(), sequences=(sequence,))
    target = find_destination("mixing-omf")
    target = msgspec.structs.replace(target, sound=msgspec.structs.replace(target.sound, mutes=False))
    made = next(plan(document, sequence, target).sequence.items()).sound
    assert made is not None
    assert (made.channels, made.muted) == ((kept,), ())
    assert made.pan is not None
    assert made.pan.still == (side,)


def test_a_shorter_item_is_not_surely_the_same() -> None:
    item = cut().sequences[0].tracks[0].items[3]
    alike = Alike(cut(), cut())
    assert alike.same(Placed(item, "V1"), Placed(item, "V1"), {"V1": {}}, {"V1": {}}, Raster(1920, 1080))
    shorter = replace(item, duration=item.duration - 1)
    assert not alike.same(
        Placed(item, "V1"), Placed(shorter, "V1"), {"V1": {}}, {"V1": {}}, Raster(1920, 1080)
    )


def test_a_cut_that_comes_home_without_its_sound_is_an_error() -> None:
    document, whole = cut(), cut().sequences[0]
    Homecoming(document, whole, ()).prove(whole, "home.xml")
    silent = replace(whole, tracks=whole.video_tracks)
    with pytest.raises(UnprovedError, match="without any of its sound; nothing was written"):
        Homecoming(document, silent, ()).prove(whole, "home.xml")
    Homecoming(document, silent, ()).prove(silent, "home.xml")
