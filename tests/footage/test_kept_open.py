"""Movies stay open within bounds, and one that is decoded holds up no other."""

from __future__ import annotations

import gc
import threading
import weakref
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest

from picture.makers import Stage, movie, pattern
from wexodos.footage.kept_open import KeptOpen
from wexodos.footage.order import Orders
from wexodos.footage.source import PictureError
from wexodos.picture import Composer, Frames


@pytest.fixture
def paths(tmp_path: Path) -> list[Path]:
    """Three movies of twelve frames of 64 × 32 in RGB."""
    return [
        movie(tmp_path / f"{name}.mov", [pattern(number + 20 * place) for number in range(12)])
        for place, name in enumerate("abc")
    ]


def test_while_one_movie_is_decoded_another_can_be(paths: list[Path]) -> None:
    kept = KeptOpen(Orders())
    done = threading.Event()

    def other() -> None:
        with kept.movie("b", paths[1]):
            done.set()

    with kept.movie("a", paths[0]) as first:
        thread = threading.Thread(target=other)
        thread.start()
        assert done.wait(60)
        # The same thread may come back to it: a recording goes on in another file and back.
        with kept.movie("a", paths[0]) as again:
            assert again is first
    thread.join()


def test_no_more_stay_open_than_may_and_none_that_is_decoded_is_closed(paths: list[Path]) -> None:
    kept = KeptOpen(Orders(), most=2)
    with kept.movie("a", paths[0]) as first:
        taken, enough = threading.Event(), threading.Event()

        def hold() -> None:
            with kept.movie("b", paths[1]):
                taken.set()
                enough.wait(60)

        thread = threading.Thread(target=hold)
        thread.start()
        assert taken.wait(60)
        # Both are in use: the third is one too many, and none of them is closed for it.
        with kept.movie("c", paths[2]):
            pass
        assert all(key in kept for key in "abc")
        assert first.frame(3, None).width == 64
        enough.set()
        thread.join()
    kept = KeptOpen(Orders(), most=2)
    for key, path in zip("abac", (paths[0], paths[1], paths[0], paths[2])):
        with kept.movie(key, path) as one:
            one.frame(5, None)
    assert ["a" in kept, "b" in kept, "c" in kept] == [True, False, True]
    kept.close()
    assert not any(key in kept for key in "abc")


def test_frames_of_others_go_where_they_are_too_large_together(paths: list[Path]) -> None:
    size = 64 * 32 * 3
    kept = KeptOpen(Orders(), budget=21 * size)
    with kept.movie("a", paths[0]) as first:
        first.frame(11, None)
    assert first.kept_bytes == 12 * size
    with kept.movie("b", paths[1]) as second:
        second.frame(7, None)
    assert (first.kept_bytes, second.kept_bytes) == (12 * size, 9 * size)
    with kept.movie("b", paths[1]) as second:
        second.frame(8, None)
    # The last three stay: from them decoding goes on without a seek.
    assert (first.kept_bytes, second.kept_bytes) == (3 * size, 10 * size)
    with kept.movie("a", paths[0]) as first:
        assert np.array_equal(first.frame(2, None).to_ndarray(format="rgb24"), pattern(2))


def test_what_cannot_be_opened_takes_no_room(tmp_path: Path) -> None:
    kept = KeptOpen(Orders())
    broken = tmp_path / "broken.mov"
    broken.write_bytes(b"no movie at all")
    for _ in range(2):
        with pytest.raises(PictureError), kept.movie("x", broken):
            pass
    assert "x" not in kept


def test_a_movie_is_warmed_where_it_will_be_wanted(paths: list[Path]) -> None:
    frames = Frames()
    frames.warm(paths[0], 7, Fraction(25))
    place = next(iter(frames._open._places.values()))
    assert place.movie is not None
    before = place.movie.kept_bytes
    # As far as the frame after it, which says until when it is on.
    assert before == 9 * 64 * 32 * 3
    # One that is open stays where it is.
    frames.warm(paths[0], 11, Fraction(25))
    assert place.movie.kept_bytes == before
    with pytest.raises(PictureError):
        frames.warm(paths[0].with_name("gone.mov"), 0, None)
    frames.close()


def test_what_a_frame_needs_is_known_ahead(tmp_path: Path) -> None:
    stage = Stage(tmp_path)
    first = stage.movie("a", [pattern(number) for number in range(12)])
    second = stage.movie("b", [pattern(number) for number in range(12)])
    still = stage.still("s", pattern(3))
    whole = stage.cut(
        (stage.item(first, 0, 10, into=1), stage.item(second, 10, 10, into=2)),
        (stage.item(still, 0, 20),),
    )
    composer = Composer(whole[0], lambda one: Path(one.path or "") if one.id != "b" else None)
    assert composer.ahead(whole[1], 4) == [(Path(first.path or ""), 5, Fraction(25))]
    assert composer.ahead(whole[1], 12) == []


def test_a_movie_that_is_closed_goes_with_its_decoder(paths: list[Path]) -> None:
    """It was held by the frames it gives, until somebody looked for circles: a reference picture of a long
    cut took a gigabyte and a half."""
    gc.disable()
    try:
        kept = KeptOpen(Orders(), most=1)
        with kept.movie("a", paths[0]) as movie:
            movie.frame(3, None)
        gone = weakref.ref(movie)
        del movie
        with kept.movie("b", paths[1]):
            pass
        assert "a" not in kept and gone() is None
    finally:
        gc.enable()


def test_a_movie_keeps_no_more_than_all_may(paths: list[Path]) -> None:
    size = 64 * 32 * 3
    kept = KeptOpen(Orders(), budget=7 * size)
    with kept.movie("a", paths[0]) as movie:
        movie.frame(11, None)
    assert movie.kept_bytes == 7 * size
