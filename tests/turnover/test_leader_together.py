"""The sync pops of a package, measured: in the reference picture, its sound, the guide mix and the turnover they
fall on one frame and one sample."""

from __future__ import annotations

import contextlib
import io
import json
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from numpy.typing import NDArray

from wexodos.carryover import carry_over
from wexodos.cli.commands import main
from wexodos.destinations import find_destination
from wexodos.evaluate import Evaluator
from wexodos.formats import read_file
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Sound, Track
from wexodos.sound.locate import Finder
from wexodos.sound.mixing import mixed
from wexodos.timing import Rate

SAMPLES = 48_000
RECIPE = """
name = "Ends"
about = "Black with sync pops at both ends"

[[steps]]
step = "leader"
options = { slate = "0", black = "3", tail = "3" }
"""


def onsets(sound: NDArray[np.float64]) -> list[int]:
    """The samples at which something begins to be heard after a tenth of a second of nothing."""
    heard = np.flatnonzero(np.abs(sound) > 1e-5)
    return [
        int(one) for place, one in enumerate(heard) if not place or one - heard[place - 1] > SAMPLES // 10
    ]


@pytest.mark.parametrize(
    ("to", "rate", "drop"),
    [
        ("mixing-aaf-linked", Rate(25), False),
        ("mixing-aaf-linked", Rate(24000, 1001), False),
        ("mixing-aaf-linked", Rate(50), False),
        ("mixing-aaf-embedded", Rate(30000, 1001), True),
        ("mixing-omf", Rate(24000, 1001), False),
    ],
)
@pytest.mark.sampled(3)
def test_pops_fall_together(tmp_path: Path, to: str, rate: Rate, drop: bool) -> None:
    quiet = tmp_path / "yard.wav"
    soundfile.write(quiet, np.zeros(10 * SAMPLES), SAMPLES, "PCM_24")
    media = Media("m", quiet.name, str(quiet), None, 0, False, 240, rate, audio=True, channels=1,
                  sample_rate=SAMPLES, bit_depth=24)  # fmt: skip
    long = 2 * rate.nominal
    item = Item("a", "Yard", 0, long, MediaUse("m"), 0, sound=Sound((1,)))
    cut = Sequence("s", "Kiln Night", rate, 3600 * rate.nominal, drop, width=160, height=90,
                   sample_rate=SAMPLES, tracks=(Track("video"), Track("audio", (item,))))  # fmt: skip
    source, recipe, out = tmp_path / "kiln.xml", tmp_path / "ends.toml", tmp_path / "out"
    document = Document("xmeml", "5", (cut,), (media,))
    source.write_bytes(carry_over(document, cut, find_destination("editing-track-xml")).data)
    recipe.write_text(RECIPE)
    told = io.StringIO()
    with contextlib.redirect_stdout(told):
        arguments = ["package", str(source), "--to", to, "--recipe", str(recipe), "--out", str(out)]
        arguments += ["--reference", "h264", "--reference-height", "90", "--no-papers", "--json"]
        assert main(arguments) == 0
    parts: dict[str, list[Path]] = {}
    for one in json.loads(told.getvalue())["parts"]:
        parts.setdefault(one["part"], []).append(out / one["path"])
    # Three seconds of black with the pop two before the cut; the other two behind its last frame.
    begins = [rate.nominal, 3 * rate.nominal + long + 2 * rate.nominal - 1]
    second = Fraction(rate.seconds(1))
    meant = [int(frame * second * SAMPLES) for frame in begins]
    (movie, *_), (guide,), (sequence,) = parts["reference-picture"], parts["guide-mix"], parts["sequence"]
    with av.open(str(movie)) as container:
        bright = [frame.to_ndarray(format="gray").mean() > 200 for frame in container.decode(video=0)]
    assert [number for number, one in enumerate(bright) if one] == begins
    with av.open(str(movie)) as container:
        shown = np.concatenate([one.to_ndarray().reshape(-1, 2)[:, 0] for one in container.decode(audio=0)])
    there = read_file(sequence)
    turned = there.top_level[0]
    turnover = mixed(Evaluator(there), turned, 0, turned.duration, Finder(sequence, there), SAMPLES)
    for sound in (shown / 2**31, soundfile.read(guide)[0][:, 0], np.asarray(turnover)[:, 0]):
        # A tone begins at nought: its second sample is the first to be heard.
        assert [one - 1 for one in onsets(sound)] == pytest.approx(meant, abs=1)
