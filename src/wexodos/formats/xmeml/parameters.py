"""Parameters of effects: still values, keyframes, and what shape a value has."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from wexodos.formats.xmeml.lexical import Element, color_of, decimal, real
from wexodos.model import Curve, Ease, Key, Parameter
from wexodos.model.curves import Vector
from wexodos.timing import Exact, exact


@dataclass(slots=True)
class KeyBase:
    """Where an item's keyframes count from (7): ``when`` in retimed media frames, base ``begin``.

    ``scale`` turns frames of the item's rate into frames of the sequence's; ``shifted`` notes that a file
    counted from the item's start instead.
    """

    begin: Exact
    end: Exact
    scale: Exact
    shifted: bool = False

    def offsets(self, whens: list[Exact]) -> list[Exact]:
        """Return the keys' times in sequence frames from the item's start."""
        begin: Exact = self.begin
        length = self.end - self.begin
        outside = all(when < self.begin or when > self.end for when in whens)
        if outside and all(0 <= when <= length for when in whens):
            begin, self.shifted = 0, True
        if self.scale == 1:
            return [when - begin for when in whens]
        return [exact((when - begin) * Fraction(self.scale)) for when in whens]


def ticks_value(text: str) -> str:
    """The value inside the private form ``ticks,value,0,0…``; any other text as it stands (7)."""
    parts = text.split(",")
    return parts[1] if len(parts) >= 8 and parts[0].lstrip("-").isdigit() else text


def vector_of(element: Element | None) -> Vector | None:
    """Read a value element as numbers: a point's two, a scalar's one; None for anything else."""
    if element is None:
        return None
    if len(element) and element.find("horiz") is not None:
        x, y = real(element.findtext("horiz")), real(element.findtext("vert"))
        return None if x is None or y is None else (x, y)
    text = (element.text or "").strip()
    if "," in text:
        text = ticks_value(text)
    if ":" in text:
        left, _, right = text.partition(":")
        x, y = real(left), real(right)
        return None if x is None or y is None else (x, y)
    value = real(text)
    return None if value is None else (value,)


def curve_of(
    parameter: Element, base: KeyBase, convert: Callable[[Vector], Vector], domain: str = "plain"
) -> Curve | None:
    """Read a parameter as a curve in the model's units; None where it holds no numbers.

    With keyframes the still value is only a default. Keys with handles count as eased, the dialect's other
    keys as straight.
    """
    keys: list[Element] = []
    value = None
    for child in parameter:
        if child.tag == "value":
            value = vector_of(child)
        elif child.tag == "keyframe":
            keys.append(child)
    if not keys:
        return None if value is None else Curve(convert(value), (), domain)
    held = (parameter.findtext("interpolation/name") or "").strip().lower() in ("hold", "constant", "step")
    found: dict[Exact, tuple[Vector, Ease]] = {}
    plain = Ease.HOLD if held else Ease.LINEAR
    for key in keys:
        when: Exact | None = None
        at: Vector | None = None
        ease = plain
        # One walk over the parts of a key: asking for each by name takes three times as long.
        for part in key:
            tag = part.tag
            if tag == "when":
                when = decimal(part.text)
            elif tag == "value":
                at = vector_of(part)
            elif tag in ("inbez", "outbez") and not held:
                ease = Ease.SMOOTH
        if when is not None and at is not None:
            found[when] = (convert(at), ease)
    if not found:
        return None if value is None else Curve(convert(value), (), domain)
    whens = sorted(found)
    made = tuple(Key(time, *found[when]) for time, when in zip(base.offsets(whens), whens))
    return Curve(made[0].value, made, domain)


def parameter_id(parameter: Element) -> str:
    name = ""
    for child in parameter:
        if child.tag == "parameterid":
            identifier = (child.text or "").strip()
            if identifier:
                return identifier
        elif child.tag == "name" and not name:
            name = (child.text or "").strip()
    return name


def shown_parameter(parameter: Element) -> Parameter:
    """A parameter as text for reading: its name, its value, how many keyframes it has."""
    value = parameter.find("value")
    text = ""
    if value is not None:
        point = vector_of(value) if len(value) and value.find("horiz") is not None else None
        if point is not None:
            text = " ".join(f"{part:g}" for part in point)
        elif len(value):
            text = color_of(value) or ""
        else:
            text = ticks_value((value.text or "").strip())
    name = (parameter.findtext("name") or "").strip() or parameter_id(parameter)
    return Parameter(name, text[:200], len(parameter.findall("keyframe")))
