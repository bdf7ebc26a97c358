"""The demo's media tell their own frame, in the picture and in the file."""

from __future__ import annotations

import wave
from dataclasses import replace
from pathlib import Path

import av
import numpy as np

from wexodos.demo.media import make, still
from wexodos.demo.sources import ALL, OTHERS, PICTURES, SOUNDS


def test_a_movie_has_its_frames_its_timecode_track_and_its_sound(tmp_path: Path) -> None:
    source = replace(PICTURES["Throwing wide"], frames=30)
    make(source, tmp_path, "Throwing wide")
    assert [one.name for one in tmp_path.iterdir()] == [source.file]
    with av.open(str(tmp_path / source.file)) as movie:
        (video,) = movie.streams.video
        frames = [frame.to_ndarray(format="rgb24") for frame in movie.decode(video)]
        assert (len(frames), frames[0].shape, str(video.average_rate)) == (30, (360, 640, 3), "25")
        assert video.metadata["timecode"] == "10:00:00:00"
        assert [stream.type for stream in movie.streams].count("data") == 1
        assert movie.streams.audio[0].rate == 48000
    # The words at the top name the frame, so the top strip differs from frame to frame.
    assert all(
        np.abs(one[8:38].astype(int) - other[8:38]).mean() > 0.2 for one, other in zip(frames, frames[1:])
    )


def test_every_source_looks_and_sounds_different(tmp_path: Path) -> None:
    from wexodos.demo.media import _ground, sound_of

    grounds = [_ground(source).astype(int) for source in PICTURES.values()]
    for place, one in enumerate(grounds):
        assert all(np.abs(one - other).mean() > 2 for other in grounds[place + 1 :])
    peaks = {}
    for name, source in SOUNDS.items():
        part = sound_of(replace(source, frames=100))[:, 0]
        peaks[name] = int(np.argmax(np.abs(np.fft.rfft(part))[20:])) + 20
    assert len(set(peaks.values())) == len(peaks)


def test_stills_and_waves(tmp_path: Path) -> None:
    assert still(OTHERS["Kiln map"], "").mode == "RGBA"
    assert still(OTHERS["Glaze chart"], "").mode == "RGB"
    source = replace(SOUNDS["Narration"], frames=25)
    make(source, tmp_path, "Narration")
    with wave.open(str(tmp_path / source.file)) as file:
        assert (file.getframerate(), file.getsampwidth(), file.getnframes()) == (48000, 3, 48000)
    assert len({source.file for source in ALL.values()}) == len(ALL)
