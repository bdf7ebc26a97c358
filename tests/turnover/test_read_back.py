"""Sound turnovers that a disk has damaged on the way: what is read back is held against what was meant."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile

from wexodos.carryover import Options, carry_over
from wexodos.destinations import find_destination
from wexodos.formats import FORMATS, WriteError
from wexodos.formats.omf.filling import Structure, filled
from wexodos.formats.spelling import Content
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Sound, Track
from wexodos.sound.locate import Finder
from wexodos.timing import Rate
from wexodos.turnover.run import prepared
from wexodos.turnover.write import write_package

PAL = Rate(25)


@pytest.fixture
def cut(tmp_path: Path) -> Document:
    """Two clips of two recordings, one so short that it lies in the small sectors of a container."""
    chance = np.random.default_rng(9)
    for name, count in (("long.wav", 96_000), ("short.wav", 1200)):
        soundfile.write(tmp_path / name, chance.uniform(-0.5, 0.5, count), 48_000, subtype="PCM_24")
    media = tuple(
        Media(
            key,
            f"{key}.wav",
            str(tmp_path / f"{key}.wav"),
            duration=frames,
            rate=PAL,
            start=0,
            channels=1,
            sample_rate=48_000,
            bit_depth=24,
            audio=True,
        )
        for key, frames in (("long", 50), ("short", 1))
    )
    items = tuple(
        Item(f"i-{key}", f"Fire {key}", start, length, MediaUse(key), sound=Sound((1,)))
        for key, start, length in (("long", 0, 50), ("short", 60, 1))
    )
    sequence = Sequence("s", "Kiln Night", PAL, 90_000, sample_rate=48_000, tracks=(Track("audio", items),))
    return Document("xmeml", "5", (sequence,), media)


@pytest.fixture
def harmed() -> Iterator[Callable[[str, Callable[[bytes], bytes]], None]]:
    """Have what a format writes changed on the disk before it is read back."""
    before = {name: FORMATS[name].write_to for name in ("aaf", "omf")}

    def harm(name: str, change: Callable[[bytes], bytes]) -> None:
        write_to = before[name]
        assert write_to is not None

        def changed(path: Path, *given: Any) -> Any:
            names = write_to(path, *given)
            path.write_bytes(change(path.read_bytes()))
            return names

        object.__setattr__(FORMATS[name], "write_to", changed)

    yield harm
    for name, write_to in before.items():
        object.__setattr__(FORMATS[name], "write_to", write_to)


def flipped(wanted: bytes) -> Callable[[bytes], bytes]:
    """One bit is another where these bytes end."""

    def change(data: bytes) -> bytes:
        place = data.index(wanted) + len(wanted) - 1
        return data[:place] + bytes([data[place] ^ 1]) + data[place + 1 :]

    return change


def written(cut: Document, folder: Path, destination: str) -> None:
    kind = find_destination(destination)
    (folder / "out").mkdir(exist_ok=True)
    path = folder / "out" / f"mix.{kind.format}"
    (one,) = prepared(cut, cut.sequences[0], kind, folder / "x", path, Options(), lambda *_: None)
    write_package(one.parts, path.parent, None, lambda *_: None)


@pytest.mark.parametrize("destination", ["mixing-aaf-embedded", "mixing-omf"])
def test_one_bit_that_is_another_is_noticed_wherever_it_is(
    cut: Document, tmp_path: Path, harmed: Callable[[str, Callable[[bytes], bytes]], None], destination: str
) -> None:
    kind = find_destination(destination).format
    written(cut, tmp_path, destination)
    (tmp_path / "out" / f"mix.{kind}").unlink()
    samples = {}
    for name in ("long", "short"):
        raw = soundfile.read(tmp_path / f"{name}.wav", dtype="int32")[0] >> 8
        samples[name] = b"".join(int(one).to_bytes(3, "little", signed=True) for one in raw)
    if kind == "aaf":
        # Bare samples; the words of the cut.
        harms = {
            "the sound": flipped(samples["long"]),
            "sound short": flipped(samples["short"]),
            "the cut": flipped("Fire long".encode("utf-16-le")),
            "some sound": lambda data: data.replace(
                "Data-2702".encode("utf-16-le"), "Data-2703".encode("utf-16-le")
            ),
        }
        told = ("the sound", "the sound", "the cut", "the cut")
    else:
        harms = {
            "the sound": flipped(samples["long"][:3000]),
            "sound short": flipped(samples["short"][:300]),
            "the cut": flipped(b"Fire long"),
        }
        told = ("the sound", "the sound", "the cut")
    for (what, change), said in zip(harms.items(), told):
        harmed(kind, change)
        with pytest.raises(WriteError, match=rf"{said}.* that was read back differs"):
            written(cut, tmp_path, destination)
        assert list((tmp_path / "out").iterdir()) == [], what


def test_an_omf_that_would_pass_two_gibibytes_is_refused_before_it_does(
    cut: Document, tmp_path: Path
) -> None:
    locate = Finder(tmp_path / "x", cut)
    carried = carry_over(cut, cut.sequences[0], find_destination("mixing-omf"), locate=locate)
    held = Structure(carried.data)
    sounds = [held.mobs()[key] for key in held.keys().values()]
    assert len(sounds) == 2
    told: list[int] = []

    def never() -> Iterator[bytes]:
        raise AssertionError("no byte of it is asked for")

    for size in ((1 << 31) - len(carried.data), 1 << 40):
        with pytest.raises(WriteError, match="larger than 2 GiB"):
            filled(
                tmp_path / "big.omf", carried.data, dict.fromkeys(sounds, Content(size, never)), told.append
            )
    with pytest.raises(WriteError, match="another length"):
        filled(
            tmp_path / "big.omf", carried.data, dict.fromkeys(sounds, Content(5, lambda: (b"1234",))), print
        )


def test_a_recording_that_shrinks_meanwhile_is_told(cut: Document, tmp_path: Path) -> None:
    kind = find_destination("mixing-aaf-embedded")
    (tmp_path / "out").mkdir()
    path = tmp_path / "out" / "mix.aaf"
    (one,) = prepared(cut, cut.sequences[0], kind, tmp_path / "x", path, Options(), lambda *_: None)
    soundfile.write(tmp_path / "long.wav", np.zeros(4000), 48_000, subtype="PCM_24")
    with pytest.raises(WriteError, match=r"long\.wav: it has changed since the turnover was planned"):
        write_package(one.parts, path.parent, None, lambda *_: None)
    assert list((tmp_path / "out").iterdir()) == []
