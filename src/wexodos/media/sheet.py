"""The facts of a file in words, for whoever looks at it."""

from __future__ import annotations

import datetime

from wexodos.ground.names import size_words
from wexodos.media.probe import Probed

Fact = tuple[str, str]


def sheet(facts: Probed) -> list[Fact]:
    """What is known of a file as names and words, in the order one asks for it; nothing of what it does not
    say. Empty for a file that cannot be read."""
    if facts.problem:
        return []
    found: list[Fact] = [
        ("picture", _picture(facts)),
        ("fields", fields_words(facts)),
        ("colour", colour_words(facts)),
        ("turned", f"by {facts.turned}°, shown upright" if facts.turned else ""),
        ("sound", _sound(facts)),
        ("channels", ", ".join(name for name in facts.channel_names if name)),
        ("timecode", facts.timecode),
        ("reel", facts.reel),
        ("files", _files(facts)),
        ("size", f"{size_words(facts.size)}, {changed_words(facts)}"),
    ]
    return [(name, words) for name, words in found if words]


def codec_words(facts: Probed) -> str:
    """How it is coded: of a movie its picture, else its sound."""
    return facts.codec or (facts.form if facts.video else facts.sound_codec or facts.form)


def fields_words(facts: Probed) -> str:
    """Which field comes first, of interlaced material."""
    return f"interlaced, {facts.field_order} field first" if facts.field_order in ("upper", "lower") else ""


def colour_words(facts: Probed) -> str:
    """Primaries, transfer and matrix, each once, and the range where it is the full one."""
    parts = list(dict.fromkeys(part for part in (facts.primaries, facts.transfer, facts.matrix) if part))
    if facts.range == "full":
        parts.append("full range")
    return ", ".join(parts)


def changed_words(facts: Probed) -> str:
    """When the file was last changed, to the minute."""
    return f"{datetime.datetime.fromtimestamp(facts.changed / 1e9):%Y-%m-%d %H:%M}"


def _picture(facts: Probed) -> str:
    if not facts.video:
        return ""
    rate = facts.frames_per_second
    depth = f"{facts.bits} bit float" if facts.floating else f"{facts.bits} bit" if facts.bits else ""
    parts = [
        codec_words(facts),
        facts.profile,
        f"{facts.width}×{facts.height}",
        f"{rate.label()} fps" if rate is not None and not facts.still else "",
        facts.chroma,
        depth,
        "with alpha" if facts.alpha else "",
        f"pixels {facts.pixel_aspect}" if facts.pixel_aspect not in ("1", "0") else "",
    ]
    return ", ".join(part for part in parts if part)


def _sound(facts: Probed) -> str:
    if not facts.audio:
        return ""
    bits = f"{facts.sample_bits} bit" if facts.sample_bits else ""
    parts = [
        facts.sound_codec,
        f"{facts.sample_rate / 1000:g} kHz",
        f"{bits} float" if facts.sample_float else bits,
        facts.layout or f"{facts.channels} channel{'s' if facts.channels != 1 else ''}",
    ]
    return ", ".join(part for part in parts if part)


def _files(facts: Probed) -> str:
    if facts.frames:
        words = f"{facts.frames} frames, {facts.first} to {facts.last}"
        return f"{words}; missing: {facts.gaps}" if facts.gaps else words
    return f"{len(facts.parts)}: {', '.join(facts.parts)}" if facts.parts else ""
