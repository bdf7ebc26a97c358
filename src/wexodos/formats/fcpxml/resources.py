"""Formats, assets, effects and definitions: what clips refer to (1.4, 2.2, 2.4)."""

from __future__ import annotations

from dataclasses import dataclass, field

from wexodos.evaluate.geometry import Raster
from wexodos.formats.errors import ReadError
from wexodos.formats.fcpxml.lexical import BadTime, Element, frames, named_format, numbers, seconds, switch
from wexodos.formats.paths import is_still_name, path_of
from wexodos.model import Media
from wexodos.timing import Exact, Rate, exact


@dataclass(frozen=True, slots=True)
class Format:
    """A picture format; None where nothing is said."""

    rate: Rate | None = None
    width: int | None = None
    height: int | None = None
    pixel_aspect: Exact = 1
    field_order: str = "progressive"


@dataclass(frozen=True, slots=True)
class Asset:
    """A medium with its start in seconds, which the model counts in frames, and the raster of its picture
    where it says its size."""

    media: Media
    start: Exact
    duration: Exact
    channels: int
    raster: Raster | None = None


@dataclass(slots=True)
class Resources:
    """All resources of a document by id."""

    formats: dict[str, Format] = field(default_factory=dict)
    format_words: dict[str, str] = field(default_factory=dict)
    assets: dict[str, Asset] = field(default_factory=dict)
    effects: dict[str, tuple[str, str]] = field(default_factory=dict)
    definitions: dict[str, Element] = field(default_factory=dict)


KEPT_ATTRIBUTES = ("customLUTOverride", "colorSpaceOverride")
"""Attributes of an asset that we do not understand and write back as they stood."""

_FIELDS = {"upper first": "upper", "lower first": "lower", "progressive": "progressive"}


def time_attribute(element: Element, name: str, place: str) -> Exact | None:
    """Read a time attribute; None where it is missing. Raises ``ReadError`` for text that is no time."""
    text = element.get(name)
    if text is None:
        return None
    try:
        return seconds(text)
    except BadTime as error:
        raise ReadError(f"{name} {error}", place) from None


def frame_attribute(element: Element, name: str, rate: Rate, place: str) -> Exact | None:
    """Read a time attribute in frames of ``rate``; None where it is missing. Raises ``ReadError`` for text
    that is no time."""
    text = element.get(name)
    if text is None:
        return None
    try:
        return frames(text, rate)
    except BadTime as error:
        raise ReadError(f"{name} {error}", place) from None


def whole(text: str | None) -> int | None:
    try:
        value = int(float(text)) if text else None
    except (ValueError, OverflowError):
        return None
    return value if value and 0 < value < 10**7 else None


def read_format(element: Element) -> Format:
    """Read a ``format``: attributes first, the standard name for what they leave out.

    Raises ``ReadError`` for a frame duration that is zero or negative.
    """
    place = f"format {element.get('id')}"
    width, height, rate, fields = named_format(element.get("name") or "")
    frame = time_attribute(element, "frameDuration", place)
    if frame is not None:
        if frame <= 0:
            raise ReadError("a frame duration must be above zero", place)
        rate = Rate.of(exact(1, frame))
    aspect: Exact = 1
    across, down = whole(element.get("paspH")), whole(element.get("paspV"))
    if across and down:
        aspect = exact(across, down)
    order = element.get("fieldOrder")
    return Format(
        rate,
        whole(element.get("width")) or width,
        whole(element.get("height")) or height,
        aspect,
        _FIELDS.get((order or "").strip().lower(), fields) if order else fields,
    )


def audio_rate(text: str | None) -> int | None:
    """Read ``48k``, ``44.1k`` or ``44100``."""
    body = (text or "").strip().lower()
    factor = 1000 if body.endswith("k") else 1
    found = numbers(body.removesuffix("k"))
    return round(found[0] * factor) if found and found[0] > 0 else None


def metadata_of(element: Element) -> tuple[tuple[str, str], ...]:
    """Keys and values of a ``metadata`` child; a list of strings is joined by commas."""
    found = []
    for md in [one for block in element.iterchildren("metadata") for one in block.iterchildren("md")]:
        key, value = md.get("key"), md.get("value")
        if value is None:
            value = ", ".join((part.text or "") for part in md.iterfind("array/string"))
        if key:
            found.append((str(key), str(value)))
    return tuple(found)


def read_asset(element: Element, formats: dict[str, Format], default_rate: Rate) -> Asset:
    """Read an ``asset``. Pure sound has no rate of its own; its frames are counted in ``default_rate``.

    Raises ``ReadError`` for broken times.
    """
    key = element.get("id") or ""
    place = f"asset {key}"
    reps = element.findall("media-rep")
    original = next(
        (rep for rep in reps if rep.get("kind", "original-media") == "original-media"),
        reps[0] if reps else None,
    )
    proxy = next((rep for rep in reps if rep.get("kind") == "proxy-media"), None)
    url = element.get("src") or (original.get("src") if original is not None else None)
    path = path_of(url) if url else None
    shape = formats.get(element.get("format") or "", Format())
    start = time_attribute(element, "start", place) or 0
    duration = time_attribute(element, "duration", place) or 0
    if duration < 0:
        raise ReadError("the duration is negative", place)
    audio = switch(element.get("hasAudio"), False)
    video = switch(element.get("hasVideo"), bool(shape.width) or not audio)
    timeless = duration == 0 and shape.rate is None
    still = video and not audio and (timeless or is_still_name(path or element.get("name") or ""))
    rate = shape.rate if video else None
    count_rate = rate or default_rate
    channels = whole(element.get("audioChannels")) or (1 if audio else 0)
    metadata = metadata_of(element) + tuple(
        (f"asset.{name}", str(element.get(name))) for name in KEPT_ATTRIBUTES if element.get(name)
    )
    reel = next((value for name, value in metadata if name.endswith("studio.reel")), None)
    media = Media(
        id=key,
        name=element.get("name") or key,
        path=path,
        reel=reel or None,
        start=round(count_rate.frames(start)),
        duration=(int(count_rate.frames(duration)) if rate else count_rate.frames(duration)) or None,
        rate=rate,
        width=shape.width,
        height=shape.height,
        pixel_aspect=shape.pixel_aspect,
        field_order=shape.field_order,
        channels=channels or None,
        sample_rate=audio_rate(element.get("audioRate")),
        video=video,
        audio=audio,
        still=still,
        uid=element.get("uid"),
        proxy_path=path_of(proxy.get("src") or "") if proxy is not None else None,
        metadata=metadata,
    )
    raster = None
    if media.width and media.height:
        raster = Raster(media.width, media.height, float(media.pixel_aspect))
    return Asset(media, start, duration, channels, raster)


def read_resources(root: Element) -> Resources:
    """Read everything under ``resources``; order does not matter."""
    found = Resources()
    for block in root.findall("resources"):
        for element in block.findall("format"):
            key = element.get("id") or ""
            found.formats[key] = read_format(element)
            words = sorted((str(name), str(value)) for name, value in element.items() if name != "id")
            found.format_words[key] = "\n".join(f"{name}={value}" for name, value in words)
        for element in block.findall("effect"):
            found.effects[element.get("id") or ""] = (element.get("name") or "", element.get("uid") or "")
        for element in block.findall("media"):
            found.definitions[element.get("id") or ""] = element
    rate = Rate(25)
    for sequence in root.iter("sequence", "multicam"):
        shape = found.formats.get(sequence.get("format") or "")
        if shape is not None and shape.rate is not None:
            rate = shape.rate
            break
    for block in root.findall("resources"):
        for element in block.findall("asset"):
            found.assets[element.get("id") or ""] = read_asset(element, found.formats, rate)
    return found
