"""Reading the facts of a file: a movie, a sound, a picture, a numbered sequence of pictures."""

from __future__ import annotations

import contextlib
import os
from collections import Counter
from collections.abc import Iterable
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import soundfile

from wexodos.footage.coded import FIELD_ORDERS, MATRICES, PRIMARIES, RANGES, TRANSFERS
from wexodos.footage.numbered import Numbered, gap_words
from wexodos.footage.source import MOST_PIXELS, frame_rate
from wexodos.footage.stills import StillFacts, still_facts
from wexodos.sound.errors import SoundError
from wexodos.sound.heads import missing, read_head
from wexodos.sound.stamps import stamp_of
from wexodos.timing import Rate, Timecode, TimecodeError
from wexodos.timing.rates import snap

Found = dict[str, Any]
"""Fields of ``Probed`` by name."""

_INTEGERS = {"PCM_16": 16, "PCM_S8": 8, "PCM_U8": 8, "PCM_24": 24, "PCM_32": 32}
_FLOATS = {"FLOAT": 32, "DOUBLE": 64}
_REELS = ("reel_name", "reelname", "reel", "tape", "tapename", "tape_name", "roll")
"""Words under which a container or a tag names the reel, the surest first: a whole name, or what stands
behind its last dot, colon or dash."""

_CHROMA = {"420": "4:2:0", "422": "4:2:2", "444": "4:4:4", "411": "4:1:1", "410": "4:1:0", "440": "4:4:0"}


def still_found(path: Path) -> Found:
    """The facts of a picture file. Raises ``PictureError``."""
    facts = still_facts(path)
    return {**_of_picture(facts), "still": True}


def sequence_found(frames: Numbered) -> Found:
    """The facts of a numbered sequence, as its first file that is there says them; its rate and timecode too.
    Raises ``PictureError``, ``OSError``."""
    facts = still_facts(frames.files()[0])
    found = _of_picture(facts)
    found |= {
        "frames": frames.count,
        "first": frames.first,
        "last": frames.last,
        "gaps": gap_words(frames.gaps),
        "reel": facts.reel,
        "form": f"{facts.form} sequence",
    }
    if facts.rate is not None:
        rate = Rate.of(snap(facts.rate))
        found |= {"rate": str(rate), "seconds": str(Fraction(frames.count) / Fraction(rate.fps))}
        with contextlib.suppress(TimecodeError):
            if facts.timecode:
                code = Timecode.parse(facts.timecode, rate)
                # The label is that of the first file that is there, which may not be the first of all.
                found |= {
                    "start": code.frames - (frames.numbers[0] - frames.first),
                    "drop_frame": code.drop_frame,
                }
    return found


def _of_picture(facts: StillFacts) -> Found:
    return {
        "video": True,
        "width": facts.width,
        "height": facts.height,
        "bits": facts.bits,
        "form": facts.form,
        "pixel_aspect": str(facts.pixel_aspect),
        "alpha": facts.alpha,
        "turned": {3: 180, 6: 90, 8: 270}.get(facts.turned, 0),
        "transfer": "linear" if facts.floating else facts.transfer,
        "chroma": "grey" if facts.channels < 3 else "RGB",
        "floating": facts.floating,
        "field_order": "progressive",
    }


def sound_found(path: Path) -> Found | None:
    """The facts of a sound file that libsndfile knows; None for everything else. Raises ``ValueError`` where
    it was cut off."""
    try:
        with soundfile.SoundFile(str(path)) as file:
            found: Found = {
                "audio": True,
                "seconds": str(Fraction(file.frames, file.samplerate)),
                "channels": file.channels,
                "sample_rate": file.samplerate,
                "sample_bits": _INTEGERS.get(file.subtype, _FLOATS.get(file.subtype, 0)),
                "sample_float": file.subtype in _FLOATS,
                "form": file.format.lower(),
                "streams": 1,
            }
    except (soundfile.LibsndfileError, RuntimeError, OSError):
        return None
    _whole_sound(path)
    with contextlib.suppress(SoundError, OSError, ArithmeticError), path.open("rb") as raw:
        origin = read_head(raw, os.fstat(raw.fileno()).st_size).origin
        if origin is not None:
            found["start"] = int(origin)
    stamp = stamp_of(path)
    if stamp is not None:
        found["reel"] = dict(stamp.words).get("TAPE", "")
        found["channel_names"] = tuple(name for _, name in stamp.tracks)
    return found


def _whole_sound(path: Path) -> None:
    """Raise ``ValueError`` where a sound file promises more samples than it holds: it was cut off, it is not
    shorter."""
    with path.open("rb") as raw:
        if missing(raw, os.fstat(raw.fileno()).st_size):
            raise ValueError("cut off")
    with soundfile.SoundFile(str(path)) as file:
        if file.frames > 0 and file.seekable():
            try:
                file.seek(file.frames - 1)
                last = len(file.read(1))
            except (soundfile.LibsndfileError, RuntimeError):
                last = 0
            if last != 1:
                raise ValueError("cut off")


def movie_found(path: Path) -> Found:
    """The facts of everything else. Raises what the library does, and ``ValueError``."""
    with av.open(str(path)) as container:
        found: Found = {"form": container.format.name.split(",")[0]}
        tags = [container.metadata, *(stream.metadata for stream in container.streams)]
        length: Fraction | None = None
        sounds: list[Any] = []
        # Streams whose coding nobody knows have no codec: they are none for us.
        for stream in [one for one in container.streams if one.codec_context is not None]:
            base = Fraction(stream.time_base or 1)
            own = Fraction(stream.duration) * base if stream.duration else None
            if stream.type == "video" and "video" not in found:
                rate = frame_rate(stream)
                length = Fraction(stream.frames) / rate if stream.frames else own
                found |= _picture_of(stream, rate)
            elif stream.type == "audio":
                sounds.append(stream)
                length = length or own
            _whole(stream, path)
        if sounds:
            found |= _sound_of(sounds)
        if "video" not in found and "audio" not in found:
            raise ValueError("neither picture nor sound")
        length = length or (Fraction(container.duration, 1_000_000) if container.duration else None)
        if length is not None:
            found["seconds"] = str(length)
        found["reel"] = reel_of(tags)
        label = next((one["timecode"] for one in reversed(tags) if one.get("timecode")), "")
        if label and "rate" in found:
            with contextlib.suppress(TimecodeError):
                code = Timecode.parse(label, Rate.parse(found["rate"]))
                found |= {"start": code.frames, "drop_frame": code.drop_frame}
        if "video" in found and found["form"] == "mov":
            _turn(container, found)
    return found


def _picture_of(stream: Any, rate: Fraction) -> Found:
    codec = stream.codec_context
    aspect = Fraction(stream.sample_aspect_ratio or 1) or Fraction(1)
    form = codec.format
    return {
        "video": True,
        "width": codec.width,
        "height": codec.height,
        "rate": str(Rate.of(snap(rate))),
        "pixel_aspect": str(aspect),
        "bits": max((part.bits for part in form.components), default=8) if form else 8,
        "alpha": bool(form) and any(part.is_alpha for part in form.components),
        "chroma": _chroma(form.name if form else ""),
        "codec": str(codec.codec.canonical_name or codec.name),
        "profile": str(codec.profile or ""),
        "field_order": FIELD_ORDERS.get(int(codec.field_order or 0), ""),
        "primaries": PRIMARIES.get(int(codec.color_primaries), ""),
        "transfer": TRANSFERS.get(int(codec.color_trc), ""),
        "matrix": MATRICES.get(int(codec.colorspace), ""),
        "range": RANGES.get(int(codec.color_range), ""),
    }


def _chroma(name: str) -> str:
    if name.startswith(("rgb", "bgr", "gbr", "argb", "abgr", "0rgb", "xrgb", "pal")):
        return "RGB"
    if name.startswith(("gray", "mono")):
        return "grey"
    if name.startswith(("nv12", "nv21", "p010", "p016")):
        return "4:2:0"
    if name.startswith(("uyvy", "yuyv", "yvyu", "nv16", "p210", "v210", "y210")):
        return "4:2:2"
    return next((words for digits, words in _CHROMA.items() if digits in name), "")


def _sound_of(streams: list[Any]) -> Found:
    """The facts of all sound streams together: their channels add up. Raises ``ValueError`` where one has
    none."""
    first = streams[0].codec_context
    for stream in streams:
        if not stream.codec_context.channels or not stream.codec_context.sample_rate:
            raise ValueError("a sound without channels")
    layouts = Counter(_layout(stream.codec_context) for stream in streams)
    names = [stream.metadata.get("title") or stream.metadata.get("name") or "" for stream in streams]
    return {
        "audio": True,
        "channels": sum(stream.codec_context.channels for stream in streams),
        "sample_rate": first.sample_rate,
        "sample_bits": _bits(first),
        "sample_float": str(first.name).startswith("pcm_f"),
        "sound_codec": str(first.codec.canonical_name or first.name),
        "streams": len(streams),
        "layout": ", ".join(name if count == 1 else f"{count} × {name}" for name, count in layouts.items()),
        "channel_names": tuple(names) if any(names) else (),
    }


def _layout(codec: Any) -> str:
    """The name of a layout; where none is said, of the one that so many channels have by custom."""
    name = str(codec.layout.name)
    return {"1 channels": "mono", "2 channels": "stereo"}.get(name, name)


def _bits(codec: Any) -> int:
    name = str(codec.name)
    if name.startswith("pcm_"):
        return next((bits for bits in (16, 24, 32, 64) if str(bits) in name), 0)
    return 0


def reel_of(tags: Iterable[dict[str, str]]) -> str:
    """The reel that containers, streams and the timecode track name in their tags; empty where none does.

    >>> reel_of([{"encoder": "x"}, {"org.example.camera.reelName": "A003"}]), reel_of([{"reelay": "B"}])
    ('A003', '')
    """
    best: tuple[int, str] | None = None
    for one in tags:
        for key, value in one.items():
            bare = key.casefold()
            for mark in ".:-/":
                bare = bare.rpartition(mark)[2]
            value = str(value).strip()
            if bare in _REELS and value:
                place = _REELS.index(bare)
                if best is None or place < best[0]:
                    best = place, value
    return best[1] if best else ""


def _turn(container: Any, found: Found) -> None:
    """How the picture is turned before it is seen, as its first frame says; its size as it is seen."""
    if found["width"] * found["height"] > MOST_PIXELS:
        return
    with contextlib.suppress(av.error.FFmpegError, OSError, ValueError):
        frame = next(iter(container.decode(container.streams.video[0])), None)
        turned = round((frame.rotation if frame is not None else 0) / 90) * 90 % 360
        if turned:
            found["turned"] = (360 - turned) % 360
        if turned in (90, 270):
            found["width"], found["height"] = found["height"], found["width"]


def _whole(stream: Any, path: Path) -> None:
    """Raise ``ValueError`` where the file's own index reaches beyond its end: it was cut off."""
    entries = getattr(stream, "index_entries", None)
    count = len(entries) if entries is not None else 0
    if entries is not None and count:
        last = max(entries[place].pos + entries[place].size for place in {0, count // 2, count - 1})
        if last > path.stat().st_size:
            raise ValueError("cut off")
