"""How a package is wanted, in words: what was decided, else what is proposed; nonsense counts as not said."""

from __future__ import annotations

from fractions import Fraction

from wexodos.destinations import find_destination
from wexodos.turnover.package.burnt import Burn
from wexodos.turnover.package.fits import doubts
from wexodos.turnover.package.guide import Mix
from wexodos.turnover.package.movie import Codec
from wexodos.turnover.package.wanted import Way
from wexodos.turnover.package.wish import burns_of, proposed, values_of, wanted, words_of


def test_a_destination_proposes_and_a_person_decides() -> None:
    mixing, editing = find_destination("mixing-omf"), find_destination("editing-lane-xml")
    plain = wanted({}, mixing, "/there")
    assert (plain.media, plain.mix, plain.picture, plain.height, plain.papers) == (
        Way.WHOLE, Mix.STEREO, Codec.H264, 540, True
    )  # fmt: skip
    assert plain.burns == (Burn("record", "bottom-left"), Burn("frame", "bottom-right"))
    assert wanted({}, editing, "/there").mix is Mix.NONE
    assert wanted({}, editing, "/there").picture is Codec.NONE and plain.there == "/there"
    own = wanted(
        {"media": "trimmed", "handles": "1.5", "mix": "stems", "reference": "prores", "height": "1080",
         "burns": "text:Kiln @ night@top\nmade@bottom", "shape": "2.39", "papers": "no", "contact": "Ada"},
        editing,
        "/there",
    )  # fmt: skip
    assert (own.media, own.handles, own.mix, own.picture) == (
        Way.TRIMMED, Fraction(3, 2), Mix.STEMS, Codec.PRORES
    )  # fmt: skip
    assert own.burns == (Burn("text", "top", "Kiln @ night"), Burn("made", "bottom"))
    assert (own.height, own.shape, own.papers, own.contact) == (1080, 2.39, False, "Ada")
    assert burns_of(words_of(own.burns)) == own.burns


def test_what_makes_no_sense_counts_as_not_said() -> None:
    mixing = find_destination("mixing-omf")
    wild = {
        "media": "all", "mix": "loud", "reference": "x", "height": "tall", "handles": "-4", "shape": "99",
        "burns": "record@nowhere\nsource@top", "other": "1",
    }  # fmt: skip
    found = wanted(wild, mixing, "/there")
    assert (found.media, found.mix, found.picture, found.height) == (
        Way.WHOLE, Mix.STEREO, Codec.H264, 540
    )  # fmt: skip
    assert found.handles is None and found.shape == 0 and found.burns == (Burn("source", "top"),)
    assert "other" not in values_of(wild, mixing) and values_of({}, mixing) == proposed(mixing)


def test_what_would_not_fit_elsewhere_is_said() -> None:
    most = (1 << 32) - 1
    assert doubts([("a.mov", most), ("b.mov", 5)], "/there", False) == []
    (large,) = doubts([("a.mov", most + 1), ("b.mov", most + 2), ("c", 1)], "/there", False)
    assert large.startswith("a.mov and 1 more (4.0 GiB) cannot lie on a FAT32 disk")
    (packed,) = doubts([("a.mov", most), ("b.mov", 5)], "/there", True)
    assert packed.startswith("the zip (4.0 GiB)")
    # "/there/" and 252 letters are 259.
    assert doubts([("x" * 252, 1)], "/there", False) == []
    assert "up to 260 letters" in doubts([("x" * 253, 1)], "/there", False)[0]
