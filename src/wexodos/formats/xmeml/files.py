"""``file`` elements: the media a sequence points at."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction

from wexodos.formats.errors import ReadError
from wexodos.formats.paths import is_still_name, path_of
from wexodos.formats.xmeml.lexical import Element, decimal, integer, rate_of, text_of, timecode_of
from wexodos.formats.xmeml.tables import PIXEL_ASPECTS, TRUNCATED_RATES
from wexodos.model import Media
from wexodos.timing import COMMON_RATES, Exact, Rate, exact


def pixel_aspect_of(characteristics: Element | None) -> Exact:
    """Pixel aspect of a ``samplecharacteristics`` element; 1 where it is missing or unknown (2.3)."""
    name = text_of(characteristics, "pixelaspectratio").lower()
    aspect = exact(*PIXEL_ASPECTS.get(name, (1, 1)))
    if name.endswith("601") and text_of(characteristics, "anamorphic").lower() in ("true", "1"):
        aspect = exact(aspect * Fraction(4, 3))
    return aspect


FIELD_ORDERS = {"none": "progressive", "lower": "lower", "upper": "upper", "even": "lower", "odd": "upper"}


def read_file(element: Element, media_id: str, place: str, default_rate: Rate | None = None) -> Media:
    """Turn a full ``file`` element into media. Raises ``ReadError`` for an impossible rate or length."""
    name = text_of(element, "name")
    url = text_of(element, "pathurl")
    path = path_of(url) if url else None
    rate = rate_of(element.find("rate"), place)
    duration = decimal(element.findtext("duration"))
    if duration is not None and duration < 0:
        raise ReadError("the file's duration is negative", place)
    media = element.find("media")
    videos = media.findall("video") if media is not None else []
    audios = media.findall("audio") if media is not None else []
    width = height = None
    aspect: Exact = 1
    fields = "progressive"
    if videos:
        shape = videos[0].find("samplecharacteristics")
        width, height = integer(text_of(shape, "width") or None), integer(text_of(shape, "height") or None)
        aspect = pixel_aspect_of(shape)
        fields = FIELD_ORDERS.get(text_of(shape, "fielddominance").lower(), "progressive")
        if rate is None and shape is not None:
            rate = rate_of(shape.find("rate"), place)
        if duration is None:
            duration = decimal(videos[0].findtext("duration"))
    width = width or integer(text_of(element, "width") or None)
    height = height or integer(text_of(element, "height") or None)
    channels = sum(integer(text_of(audio, "channelcount") or None) or 1 for audio in audios) or None
    sample_rate = depth = None
    for audio in audios:
        shape = audio.find("samplecharacteristics")
        sample_rate = sample_rate or (integer(text_of(shape, "samplerate") or None) or None)
        depth = depth or integer(text_of(shape, "depth") or None)
    rate = rate or default_rate
    start = drop = None
    reel = None
    codes = element.findall("timecode")
    code = next(
        (one for one in codes if text_of(one, "source").lower() in ("", "source")),
        codes[0] if codes else None,
    )
    if code is not None:
        relabel = rate is not None and rate.denominator == 1 and rate.numerator in TRUNCATED_RATES
        known = Rate(*TRUNCATED_RATES[rate.numerator]) if relabel and rate is not None else rate or Rate(25)
        start, drop = timecode_of(code, known, place, relabel)
        reel = text_of(code.find("reel"), "name") or None
    source = text_of(element, "mediaSource")
    shown = name or (path or "").replace("\\", "/").rsplit("/", 1)[-1]
    return Media(
        id=media_id,
        name=shown or media_id,
        path=path,
        reel=reel,
        start=start,
        drop_frame=drop,
        duration=duration,
        rate=rate,
        width=width or None,
        height=height or None,
        pixel_aspect=aspect,
        field_order=fields,
        channels=channels,
        sample_rate=sample_rate,
        bit_depth=depth,
        video=bool(videos),
        audio=bool(audios),
        still=is_still_name(path or name) and not audios,
        synthetic=bool(source) and not url,
        metadata=(("mediaSource", source),) if source else (),
    )


def mended_rate(media: Media, use: tuple[Exact, Rate] | None) -> Media:
    """Give a medium whose rate was cut down to its whole part (29 for 29.97) its true rate back (2.1).

    ``use`` is the stated length of an unretimed item of this medium with that item's rate: both lengths are
    the same time, so their ratio tells the true rate. Without a use the table of last resort decides.
    """
    rate = media.rate
    if rate is None or rate.denominator != 1 or rate.numerator not in TRUNCATED_RATES:
        return media
    true = Rate(*TRUNCATED_RATES[rate.numerator])
    if use is not None and media.duration and use[0] > 0:
        measured = Fraction(media.duration) / (Fraction(use[0]) / use[1].fps)
        if rate.numerator <= measured < rate.numerator + 1:
            near = min(COMMON_RATES, key=lambda one: abs(one.fps - measured))
            if abs(near.fps - measured) * 2000 <= near.fps:
                true = near
    return replace(media, rate=true)
