"""The sounds of a turnover: every channel of every piece as a mono file or stream."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from typing import Literal

import numpy as np

from wexodos.formats.spelling import Sounding
from wexodos.ground.names import joined, last
from wexodos.sound.convert import exactly, packed, resampled
from wexodos.sound.decode import Facts, Samples, blocks, facts
from wexodos.sound.errors import SoundError
from wexodos.sound.heads import aiff_head, read_head, wave_head
from wexodos.sound.piece import Piece, channel_name
from wexodos.sound.ramps import ramped
from wexodos.timing import ceil, exact, floor

RAW_BLOCK = 1 << 18
LEAD = 4096
"""Samples decoded before and after a stretch that is resampled, so that its edges sound as in the middle of
the medium."""


def samples(piece: Piece, channel: int) -> Iterator[Samples]:
    """The samples of a channel of a piece at its rate; silence where the sound was not found. Raises
    ``SoundError``."""
    told = piece.file
    if told is None or channel > told.channels:
        yield from exactly(iter(()), piece.frames)
        return
    first = Fraction(piece.start) * told.rate
    if piece.ramp is not None:
        yield from exactly(ramped(piece, piece.ramp, told, channel), piece.frames)
        return
    if piece.pace != 1:
        yield from exactly(_varied(piece, told, channel), piece.frames)
        return
    if told.rate == piece.rate:
        yield from exactly(
            blocks(Path(told.path), channel, floor(first + Fraction(1, 2)), piece.frames), piece.frames
        )
        return
    # Begin where a sample of both rates meets, so that no part of one is lost on the way.
    both = Fraction(told.rate, piece.rate)
    lead = both.numerator * ceil(exact(LEAD, both.numerator))
    skip = lead * piece.rate // told.rate
    start = floor(first) - lead
    wanted = ceil(Fraction(piece.frames) * both) + 2 * lead
    late = floor((first - floor(first)) * piece.rate / told.rate + Fraction(1, 2))
    stream = resampled(blocks(Path(told.path), channel, start, wanted), told.rate, piece.rate)
    yield from exactly(_after(stream, skip + late), piece.frames)


def _varied(piece: Piece, told: Facts, channel: int) -> Iterator[Samples]:
    """A piece at another speed, as a tape that runs faster or slower, or backwards: the pitch goes with
    it."""
    pace = abs(Fraction(piece.pace))
    path, backwards = Path(told.path), piece.pace < 0
    wanted = ceil(Fraction(piece.frames, piece.rate) * told.rate * pace) + LEAD
    first = floor(Fraction(piece.start) * told.rate + Fraction(1, 2))
    # So much before it that a sample of what is rendered falls right on its beginning.
    ratio = Fraction(piece.rate) / (told.rate * pace)
    lead = (
        ratio.denominator * ceil(exact(LEAD, ratio.denominator)) if ratio.denominator <= RAW_BLOCK else LEAD
    )
    source = (
        _backwards(path, channel, first + lead, wanted + lead)
        if backwards
        else blocks(path, channel, first - lead, wanted + lead)
    )
    # A medium played so much faster is one of so much higher a rate.
    stream = resampled(source, float(told.rate * pace), piece.rate)
    yield from _after(stream, round(lead * ratio))


def _backwards(path: Path, channel: int, last: int, frames: int) -> Iterator[Samples]:
    """``frames`` samples that end before sample ``last``, from the last to the first."""
    while frames > 0:
        size = min(frames, RAW_BLOCK)
        yield np.concatenate(list(blocks(path, channel, last - size, size)))[::-1]
        last -= size
        frames -= size


def _after(stream: Iterator[Samples], count: int) -> Iterator[Samples]:
    for block in stream:
        if count >= len(block):
            count -= len(block)
            continue
        yield block[count:] if count else block
        count = 0


def untouched(piece: Piece, bits: int) -> bool:
    """Whether a piece's samples go over bit for bit: at the same rate and from no more bits than are
    written."""
    told = piece.file
    return (
        told is not None
        and piece.as_it_is
        and told.rate == piece.rate
        and told.bits is not None
        and told.bits <= bits
    )


def soundings(
    pieces: dict[str, Piece],
    bits: int,
    form: Literal["pcm", "wave", "aiff"],
    folder: str | None,
    with_samples: bool,
    paths: Mapping[str, str | None],
) -> dict[str, dict[int, Sounding]]:
    """What is to be written for every channel of every piece. ``folder`` is where linked files go, None to
    embed; ``paths`` is where each medium is said to be, for those whose sound was not found."""
    made: dict[str, dict[int, Sounding]] = {}
    for key, piece in pieces.items():
        made[key] = {}
        for channel in piece.channels:
            name = channel_name(piece, channel)
            big = form == "aiff"
            head = b""
            if form == "wave":
                head = wave_head(
                    piece.frames, piece.rate, bits, piece.origin, name, piece.stamp, taken=(channel,)
                )
            elif form == "aiff":
                head = aiff_head(piece.frames, piece.rate, bits)
            size = piece.frames * bits // 8
            suffix = ".aif" if big else ".wav"
            where = joined(folder, f"{name}{suffix}") if folder is not None else None
            if piece.file is None:
                # Not found: the clip goes over without its sound, and says where that was.
                where = paths.get(piece.media) or ""
            sounding = Sounding(
                piece.rate,
                bits,
                piece.frames,
                piece.origin,
                channel,
                form,
                head,
                b"\0" if size & 1 and form != "pcm" else b"",
                None,
                where,
                name,
                piece.stamp.track(channel)[1] if piece.stamp is not None else "",
                f"./{last(folder)}/{name}{suffix}" if folder is not None and piece.file else "",
            )
            if with_samples and piece.file is not None:
                sounding = replace(sounding, blocks=_writer(piece, channel, bits, big))
            made[key][channel] = sounding
    return made


def _writer(piece: Piece, channel: int, bits: int, big: bool) -> Callable[[], Iterator[bytes]]:
    def written() -> Iterator[bytes]:
        if piece.file is not None and facts(Path(piece.file.path)) != piece.file:
            raise SoundError(f"{piece.file.path}: it has changed since the turnover was planned")
        if not big and untouched(piece, bits) and piece.file is not None and piece.file.bits == bits:
            raw = _raw(piece, channel)
            if raw is not None:
                yield from raw
                return
        yield from packed(
            samples(piece, channel),
            bits,
            piece.file is None or untouched(piece, bits),
            channel_name(piece, channel),
            big,
        )

    return written


def _raw(piece: Piece, channel: int) -> Iterator[bytes] | None:
    """The bytes of the source file as they stand, where they are written the same way; None where they are
    not."""
    told = piece.file
    assert told is not None and told.bits is not None
    path = Path(told.path)
    try:
        with path.open("rb") as file:
            head = read_head(file, path.stat().st_size)
    except (OSError, SoundError):
        return None
    if (
        head.big
        or head.bits != told.bits
        or head.bits == 8
        or head.rate != told.rate
        or head.channels != told.channels
    ):
        return None
    first = floor(Fraction(piece.start) * told.rate + Fraction(1, 2))
    width = head.bits // 8
    step = width * head.channels
    there = head.size // step
    if first < 0 or first >= there:
        return None
    count = min(piece.frames, there - first)
    return _copied(
        path, head.offset + first * step, count, head.channels, channel, width, piece.frames - count
    )


def _copied(
    path: Path, offset: int, count: int, channels: int, channel: int, width: int, silence: int
) -> Iterator[bytes]:
    try:
        with path.open("rb") as file:
            file.seek(offset)
            left = count
            while left:
                size = min(left, RAW_BLOCK)
                data = file.read(size * width * channels)
                if len(data) < size * width * channels:
                    raise SoundError(f"{path}: its sound ends too early")
                if channels > 1:
                    data = (
                        np.frombuffer(data, np.uint8).reshape(-1, channels, width)[:, channel - 1].tobytes()
                    )
                yield data
                left -= size
    except OSError as error:
        raise SoundError(
            f"{path}: its sound cannot be read: {(error.strerror or str(error)).lower()}"
        ) from None
    while silence:
        size = min(silence, RAW_BLOCK)
        yield bytes(size * width)
        silence -= size
