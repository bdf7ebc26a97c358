"""Steps against composed pictures and mixed sound: what the prints say is held against what is really seen
and heard."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import cv2
import numpy as np
import pytest
import soundfile
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from generated import documents, examples
from wexodos.evaluate import Evaluator
from wexodos.model import Document, Media
from wexodos.picture import Composer
from wexodos.sound.mixing import mixed
from wexodos.tidy import Chosen, Tidied, tidy
from wexodos.timing import ceil, floor

SETTINGS = settings(
    max_examples=examples(50),
    deadline=None,
    derandomize=True,
    suppress_health_check=list(HealthCheck),
    phases=(Phase.explicit, Phase.generate),
)
STEPS = [
    ("unfold", {}),
    ("collapse", {}),
    ("angles", {}),
    ("disabled", {}),
    ("layers", {}),
    ("keys", {"parameter": "position"}),
    ("leader", {}),
    ("range", {"from": "+13", "to": "+101"}),
]
SOUNDS = [("unfold", {}), ("angles", {}), ("disabled", {}), ("channels", {}), ("stems", {}), ("leader", {})]
TALL = 72


def waves(key: str):  # type: ignore[no-untyped-def]
    """Smooth frames that tell their medium and number: small shifts of edges are all that scaling may
    change."""
    turn = int(key[1:]) * 1.3

    def picture(number: int, size: tuple[int, int] | None) -> np.ndarray:
        wide, tall = size or (1280, 720)
        y, x = np.mgrid[0:tall, 0:wide].astype(np.float32)
        x, y, t = x / wide, y / tall, number * 0.37 + turn
        parts = (np.sin(3 * x + t), np.cos(2.5 * y + t * 1.7), np.sin(2 * x - 3 * y + t * 0.6))
        return np.stack([*(0.5 + 0.4 * one for one in parts), np.ones_like(x)], axis=-1).astype(np.float32)

    return picture


MADE = {f"m{number}": waves(f"m{number}") for number in range(5)}


def done(document: Document, step: str, options: dict[str, str]) -> Tidied | None:
    """A step done on a cut; None where it has nothing to do."""
    made = tidy(document, document.sequences[0], (Chosen(step, True, options),))
    one = made.steps[0]
    assert one.unproven == []
    return None if one.problem or one.outcome is None or one.outcome.nothing else made


def places(
    document: Document, made: Tidied, said: list[tuple[object, object]], length: int
) -> Iterator[tuple[int, int]]:
    """Frames before and after, spread over the cut, that the step does not say it changes."""
    for frame in range(
        3, document.sequences[0].duration - length, max(1, document.sequences[0].duration // 7)
    ):
        there = frame + made.shift
        if any(floor(low) < frame + length and frame < ceil(high) for low, high in said):  # type: ignore[arg-type]
            continue
        if 0 <= there <= made.sequence.duration - length:
            yield frame, there


@SETTINGS
@given(documents(), st.sampled_from(STEPS))
def test_what_a_step_does_not_name_looks_the_same(
    document: Document, chosen: tuple[str, dict[str, str]]
) -> None:
    made = done(document, *chosen)
    if made is None:
        return
    # A nest is cut off at its edge, its clips are cropped there: within a pixel that is the same, so
    # unfolding is looked at everywhere; so are layers, whose overlaps must look like the dissolves they were.
    everywhere = chosen[0] in ("unfold", "layers")
    touched = made.steps[0].outcome.touched.picture if not everywhere else []  # type: ignore[union-attr]
    before = Composer(document, lambda _media: None, made=MADE)
    after = Composer(made.document, lambda _media: None, made=MADE)
    for frame, there in places(document, made, touched, 1):
        one = before.frame(document.sequences[0], frame, TALL).picture
        two = after.frame(made.sequence, there, TALL).picture
        apart = (np.abs(one - two).max(axis=-1) > 0.06).astype(np.uint8)
        assert not cv2.erode(apart, np.ones((5, 5), np.uint8)).any(), (chosen, frame)


@pytest.fixture(scope="module")
def sounds(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """Noise without much treble for every generated medium, another on each channel."""
    folder, dice = tmp_path_factory.mktemp("sounds"), np.random.default_rng(3)
    for number in range(5):
        rate, channels = (44100, 1) if number == 4 else (48000, 2)
        rough = dice.standard_normal((rate * 85, channels))
        smooth = np.stack([np.convolve(row, np.hanning(64) / 32, "same") for row in rough.T], axis=-1)
        soundfile.write(folder / f"m{number}.wav", smooth * 0.2, rate, subtype="PCM_16")
    return folder


@SETTINGS
@given(document=documents(), chosen=st.sampled_from(SOUNDS))
@pytest.mark.thorough
def test_what_a_step_does_not_name_sounds_the_same(
    sounds: Path, document: Document, chosen: tuple[str, dict[str, str]]
) -> None:
    made = done(document, *chosen)
    if made is None:
        return

    def locate(media: Media) -> Path | None:
        path = sounds / f"{media.id}.wav"
        return path if path.exists() else None

    for frame, there in places(document, made, made.steps[0].outcome.touched.sound, 3):  # type: ignore[union-attr]
        one = mixed(Evaluator(document), document.sequences[0], frame, 3, locate)
        two = mixed(Evaluator(made.document), made.sequence, there, 3, locate)
        count = min(len(one), len(two))
        # Elsewhere on the time line a block may begin a part of a sample later.
        assert np.abs(one[:count] - two[:count]).max() < (0.02 if made.shift else 2e-3), (chosen, frame)
