"""What picture offsets are fractions of: the source's size or the sequence's. Exporters differ (8.2).

Real offsets come from whole or tenth pixels rounded to six digits. Multiplied by the right size they land on
a multiple of a tenth again; multiplied by the wrong one they land anywhere.
"""

from __future__ import annotations

from collections.abc import Iterator

from wexodos.formats.xmeml.lexical import Element, integer, text_of
from wexodos.formats.xmeml.parameters import parameter_id, vector_of
from wexodos.model import Media

Size = tuple[float, float]
ENOUGH = 3
NEAR = 0.02
DECIMALS = 6
_MOST, _FEW = 0.9, 0.5


def counts_in_sequence(sequences: list[Element], media: dict[str, Media]) -> bool:
    """Whether the offsets of a file are fractions of the sequence's size.

    False, the usual case, unless at least three different offsets of pictures of another size say so: nine in
    ten land on tenths of pixels with the sequence's size and no more than half do with the source's.
    """
    evidence = set(_offsets(sequences, media))
    if len(evidence) < ENOUGH:
        return False
    own = sum(_lands(x, y, source) for x, y, source, _ in evidence)
    theirs = sum(_lands(x, y, frame) for x, y, _, frame in evidence)
    return theirs >= _MOST * len(evidence) and own <= _FEW * len(evidence)


def _rounded(value: Element | None) -> bool:
    """Whether a point is spelled with six decimals at most, as exporters round it; our own, with more, tell
    nothing."""
    texts = [value.findtext(axis) or "" for axis in ("horiz", "vert")] if value is not None else []
    return all(len(text.strip().partition(".")[2]) <= DECIMALS for text in texts)


def _lands(x: float, y: float, size: Size) -> bool:
    return all(
        abs(value * extent * 10 - round(value * extent * 10)) <= NEAR * 10
        for value, extent in ((x, size[0]), (y, size[1]))
    )


def _offsets(sequences: list[Element], media: dict[str, Media]) -> Iterator[tuple[float, float, Size, Size]]:
    """Yield (x, y, source size, frame size) for every offset of a picture that is not of the sequence's
    size."""
    sizes = {
        (one.width * float(one.pixel_aspect), float(one.height))
        for one in media.values()
        if one.width and one.height
    }
    for sequence in sequences:
        shape = sequence.find("media/video/format/samplecharacteristics")
        width, height = integer(text_of(shape, "width") or None), integer(text_of(shape, "height") or None)
        if not width or not height or sizes <= {(float(width), float(height))}:
            continue
        frame = (float(width), float(height))
        for item in sequence.iterfind("media/video/track/clipitem"):
            file = item.find("file")
            one = media.get(file.get("id") or "") if file is not None else None
            if one is None or not one.width or not one.height:
                continue
            source = (one.width * float(one.pixel_aspect), float(one.height))
            if source == frame:
                continue
            for effect in item.iterfind("filter/effect"):
                if text_of(effect, "effectid").lower() != "basic":
                    continue
                for parameter in effect.iterfind("parameter"):
                    if parameter_id(parameter).lower() == "center":
                        for value in (parameter.find("value"), *parameter.iterfind("keyframe/value")):
                            at = vector_of(value)
                            if at is not None and any(at) and _rounded(value):
                                yield at[0], at[-1], source, frame
