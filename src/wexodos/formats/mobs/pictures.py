"""What is done to a picture: the effects of the edit protocol around a clip, and titles."""

from __future__ import annotations

from fractions import Fraction

from wexodos.evaluate.geometry import Raster, fit_factor
from wexodos.formats.mobs import tree
from wexodos.formats.mobs.operations import curve_of, points_of
from wexodos.model import (
    Curve,
    Document,
    Effect,
    Item,
    Key,
    Media,
    MediaUse,
    Motion,
    NestedUse,
    Sequence,
    TextRun,
    Title,
)
from wexodos.timing import Exact, Rate

STILL_SECONDS = 600
_AT_REST = Motion(fit="fit")


def still_length(rate: Rate) -> int:
    """Frames of a picture file that says no length: it is as long as anybody needs."""
    return rate.nominal * STILL_SECONDS


def fit_share(media: Media | None, motion: Motion, sequence: Sequence) -> float:
    """How large a picture stands against one fitted whole into the frame, which is where the edit protocol
    starts from."""
    if motion.fit == "fit" or media is None or not media.width or not media.height:
        return 1.0
    width, height = sequence.frame_size
    frame = Raster(width, height, float(sequence.pixel_aspect))
    source = Raster(media.width, media.height, float(media.pixel_aspect))
    return fit_factor(motion.fit, source, frame) / fit_factor("fit", source, frame)


def raster_of(item: Item, document: Document, frame: Raster) -> Raster:
    """The raster of what an item shows; that of the frame where it is not known."""
    use = item.content
    if isinstance(use, NestedUse) and use.sequence in document.sequences_by_id:
        nest = document.sequences_by_id[use.sequence]
        return Raster(*nest.frame_size, float(nest.pixel_aspect))
    media = document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
    if media is not None and media.width and media.height:
        return Raster(media.width, media.height, float(media.pixel_aspect))
    return frame


def clothed(
    item: Item, segment: tree.Segment, shift: Exact, span: Exact, sequence: Sequence, document: Document
) -> tree.Segment:
    """Wrap a clip in one operation for each thing done to it, from the inside out: crop, size, rotation,
    place, opacity, colour."""
    motion = item.motion
    length = segment.length
    width, height = sequence.frame_size

    def around(op: str, names: tuple[str, ...], curve: Curve, convert: list[object]) -> None:
        nonlocal segment
        parameters: dict[str, tree.Value] = {
            name: points_of(curve, shift, span, part, convert[part]) for part, name in enumerate(names)
        }
        segment = tree.Operation("picture", length, op, [segment], parameters)

    if motion is not None:
        media = document.media_by_id.get(item.content.media) if isinstance(item.content, MediaUse) else None
        share = fit_share(media, motion, sequence)
        if isinstance(item.content, NestedUse):
            # A nest is read as standing in its own pixels.
            frame = Raster(width, height, float(sequence.pixel_aspect))
            share = fit_factor(motion.fit, raster_of(item, document, frame), frame)
        if motion.crop != _AT_REST.crop:
            low, high = (lambda v: 2 * v - 1), (lambda v: 1 - 2 * v)
            around(
                "crop",
                ("crop-left", "crop-top", "crop-right", "crop-bottom"),
                motion.crop,
                [low, low, high, high],
            )
        if motion.scale != _AT_REST.scale or share != 1.0:
            around("scale", ("scale-x", "scale-y"), motion.scale, [lambda v: v * share] * 2)
        if motion.rotation != _AT_REST.rotation:
            around("rotate", ("rotation",), motion.rotation, [float])
        if motion.position != _AT_REST.position:
            around(
                "position",
                ("position-x", "position-y"),
                motion.position,
                [lambda v: v / (width / 2), lambda v: v / (height / 2)],
            )
        if motion.opacity != _AT_REST.opacity:
            around("opacity", ("opacity",), motion.opacity, [float])
    for effect in item.effects:
        if effect.kind == "primaries" and effect.settings and effect.enabled:
            settings = dict(effect.settings)
            values: dict[str, tree.Value] = {}
            for what in ("slope", "offset", "power"):
                for part, color in enumerate("rgb"):
                    if what in settings:
                        values[f"{what}-{color}"] = points_of(settings[what], shift, span, part)
            if "saturation" in settings:
                values["saturation"] = points_of(settings["saturation"], shift, span, 0)
            segment = tree.Operation(
                "picture",
                length,
                "colour",
                [segment],
                values,
                effect.name,
                attributes={"_EFFECT_PLUGIN_NAME": effect.name},
            )
    return segment


class Undressed:
    """What the operations around a clip say, gathered on the way in."""

    def __init__(self, size: tuple[int, int]) -> None:
        self.size = size
        self.curves: dict[str, Curve] = {}
        self.effects: list[Effect] = []

    def take(self, operation: tree.Operation, length: Exact) -> bool:
        """Take an operation in; False where it is none of those the edit protocol defines for pictures."""
        found = operation.parameters
        width, height = self.size

        def values(*names: str, rest: float = 0.0) -> list[tree.Varying | float]:
            return [
                one if isinstance(one := found.get(name, rest), tree.Varying) else _number(one, rest)
                for name in names
            ]

        if operation.op == "position":
            curve = curve_of(values("position-x", "position-y"), length)
            self._join("position", _by(curve, (width / 2, height / 2)))
        elif operation.op == "scale":
            self._join("scale", curve_of(values("scale-x", "scale-y", rest=1.0), length))
        elif operation.op == "rotate":
            self._join("rotation", curve_of(values("rotation"), length))
        elif operation.op == "opacity":
            self._join("opacity", curve_of(values("opacity", rest=1.0), length))
        elif operation.op == "crop":
            edges = curve_of(
                [*values("crop-left", "crop-top", rest=-1.0), *values("crop-right", "crop-bottom", rest=1.0)],
                length,
            )
            self._join(
                "crop",
                _each(edges, lambda v: ((v[0] + 1) / 2, (v[1] + 1) / 2, (1 - v[2]) / 2, (1 - v[3]) / 2)),
            )
        elif operation.op == "placement":
            self._placement(found, length)
        elif operation.op == "colour":
            settings = [
                (
                    what,
                    curve_of(
                        values(
                            *(f"{what}-{color}" for color in "rgb"), rest=0.0 if what == "offset" else 1.0
                        ),
                        length,
                    ),
                )
                for what in ("slope", "offset", "power")
            ]
            settings.append(("saturation", curve_of(values("saturation", rest=1.0), length)))
            self.effects.insert(
                0,
                Effect(
                    str(operation.attributes.get("_EFFECT_PLUGIN_NAME") or "Primaries"),
                    "primaries",
                    settings=tuple(settings),
                ),
            )
        else:
            return False
        return True

    def _placement(self, found: dict[str, tree.Value], length: Exact) -> None:
        """Groups of a placement in space: one whose switch is off or missing is at rest. Sizes are percent
        there."""
        width, height = self.size

        def group(switch: str, *names: str, rest: float) -> Curve | None:
            if not found.get(switch):
                return None
            return curve_of(
                [
                    one if isinstance(one := found.get(name, rest), tree.Varying) else _number(one, rest)
                    for name in names
                ],
                length,
            )

        place = group("place-on", "place-x", "place-y", rest=0.0)
        if place is not None:
            self._join("position", _by(place, (width / 1600, height / 900)))
        size = group("size-on", "size-x", "size-y", rest=100.0)
        if size is not None:
            self._join("scale", _by(size, (0.01, 0.01)))
        turn = group("turn-on", "turn-z", rest=0.0)
        if turn is not None:
            self._join("rotation", turn)

    def _join(self, name: str, curve: Curve) -> None:
        """Two operations of a kind around one clip: still ones combine, otherwise the outer one counts."""
        before = self.curves.get(name)
        if before is not None and not before.animated and not curve.animated:
            a, b = before.still, curve.still
            curve = Curve(tuple(x * y if name in ("scale", "opacity") else x + y for x, y in zip(a, b)))
        self.curves[name] = curve

    def motion(self) -> Motion:
        return Motion(fit="fit", **self.curves)


def _number(value: object, rest: float) -> float:
    return float(value) if isinstance(value, int | float | Fraction) else rest


def _each(curve: Curve, turn: object) -> Curve:
    assert callable(turn)
    return Curve(
        tuple(turn(curve.value)), tuple(Key(key.time, tuple(turn(key.value)), key.ease) for key in curve.keys)
    )


def _by(curve: Curve, factors: tuple[float, ...]) -> Curve:
    return _each(curve, lambda value: tuple(one * factor for one, factor in zip(value, factors)))


# ---- titles


def title(content: Title, length: int, size: tuple[int, int]) -> tree.Operation:
    """Words as the title effect of the edit protocol: one style, no input."""
    first = next((run for run in content.runs if run.text.strip()), TextRun(""))
    values: dict[str, tree.Value] = {
        "title-text": content.words,
        "title-x": content.origin[0] / (size[0] / 2),
        "title-y": content.origin[1] / (size[1] / 2),
    }
    if first.color:
        values.update(
            (f"title-{name}", int(first.color[place : place + 2], 16) / 255)
            for name, place in (("red", 1), ("green", 3), ("blue", 5))
        )
    if first.font:
        values["title-font"] = first.font
    if first.size:
        values["title-size"] = first.size
    if first.align:
        values["title-align"] = {"left": 0, "center": 1, "right": 2}.get(first.align, 1)
    if first.bold:
        values["title-bold"] = 1
    if first.italic:
        values["title-italic"] = 1
    return tree.Operation("picture", length, "title", [], values)


def title_of(operation: tree.Operation, size: tuple[int, int]) -> Title:
    """A title effect as words; a title of another making keeps its name only."""
    found = operation.parameters
    text = found.get("title-text")
    if not isinstance(text, str):
        return Title((TextRun(operation.name),), words_known=False)

    def number(name: str) -> float | None:
        value = found.get(name)
        return (
            _number(value, 0.0)
            if value is not None and not isinstance(value, tree.Varying | str | bytes)
            else None
        )

    parts = [number(f"title-{name}") for name in ("red", "green", "blue")]
    color = None
    if any(part is not None for part in parts):
        color = "#" + "".join(f"{min(255, max(0, round((part or 0.0) * 255))):02x}" for part in parts) + "ff"
    align = (
        {0: "left", 1: "center", 2: "right"}.get(int(number("title-align") or 0))
        if "title-align" in found
        else None
    )
    font = found.get("title-font")
    run = TextRun(
        text,
        font if isinstance(font, str) else None,
        number("title-size"),
        bool(number("title-bold")),
        bool(number("title-italic")),
        color,
        align,
    )
    return Title((run,), ((number("title-x") or 0.0) * size[0] / 2, (number("title-y") or 0.0) * size[1] / 2))
