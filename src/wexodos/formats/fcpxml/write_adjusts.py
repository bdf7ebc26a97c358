"""Write what is done to a clip: its speed, its picture, its sound (6 to 9)."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from fractions import Fraction

from wexodos.evaluate.geometry import Raster
from wexodos.formats.fcpxml.adjusts import BLEND_NUMBERS, CORNERS, MapPoint
from wexodos.formats.fcpxml.lexical import time_of
from wexodos.formats.fcpxml.units import MAX_DB, SILENCE_DB, Space, number
from wexodos.formats.tree import Node, Pieces, add, node, shared
from wexodos.model import (
    NORMAL,
    Constant,
    Curve,
    Ease,
    Generator,
    Item,
    Key,
    Media,
    Motion,
    NestedUse,
    Sequence,
    Sound,
    Title,
    Variable,
)
from wexodos.model.curves import Vector
from wexodos.timing import Exact, Rate, absolute, exact

CHANNEL = "audio-channel-source"
INTERPOLATIONS = {Ease.SMOOTH: "ease", Ease.IN: "easeIn", Ease.OUT: "easeOut"}


class AdjustWriter:
    """Writes what is done to the clips of one sequence; ``sequences`` are those that can be nested in it."""

    def __init__(self, sequence: Sequence, sequences: dict[str, Sequence]) -> None:
        self.sequence = sequence
        self.sequences = sequences
        self.frame = Raster(*sequence.frame_size, float(sequence.pixel_aspect))
        self._rasters: dict[str, Raster] = {}
        self._pieces = Pieces()
        self._parts: dict[Hashable, list[Node]] = {}

    def retimed(self, item: Item, base: Exact, media: Media | None) -> tuple[Exact, list[MapPoint]]:
        """The clip's local start and the points of its speed map; ``base`` is where the material's own time
        begins (6.2)."""
        rate = self.sequence.rate
        speed = item.speed
        if speed is NORMAL or (isinstance(speed, Constant) and speed.rate == 1):
            return exact(base + item.source_in), []
        length = rate.seconds(item.duration)
        if isinstance(speed, Variable):
            local = base
            return local, [
                MapPoint(
                    exact(local + rate.seconds(p.time)),
                    exact(base + p.source),
                    rate.seconds(p.into),
                    rate.seconds(p.out),
                )
                for p in speed.points
            ]
        if speed.rate == 0:
            value = exact(base + item.source_in)
            return base, [MapPoint(base, value), MapPoint(exact(base + length), value)]
        k = Fraction(speed.rate)
        whole: Exact = 0
        if media is not None and media.duration:
            whole = (media.rate or rate).seconds(media.duration)
        first: Exact = 0 if k > 0 else max(whole, item.source_in)
        last: Exact = max(whole, item.source_in + length * k) if k > 0 else 0
        before = exact((item.source_in - first) / k)
        # The clip begins on a whole frame of its retimed time; the map's own ends may lie between frames.
        local = exact(base + _on_frame(before, rate))
        start = exact(local - before)
        end = exact(start + Fraction(absolute(last - first)) / absolute(k))
        return local, [MapPoint(start, exact(base + first)), MapPoint(end, exact(base + last))]

    def time_map(self, element: Node, points: list[MapPoint]) -> None:
        if points:
            block = add(element, "timeMap", frameSampling="floor")
            for one in points:
                round_ = one.into > 0 and one.out > 0
                add(
                    block,
                    "timept",
                    time=time_of(one.time),
                    value=time_of(one.value),
                    interp="smooth2" if round_ else "linear",
                    inTime=time_of(one.into) if round_ else None,
                    outTime=time_of(one.out) if round_ else None,
                )

    def _space(self, item: Item, media: Media | None) -> Space:
        frame = self.frame
        if isinstance(item.content, Title | Generator):
            return Space(frame, frame, "none")
        source = frame
        if media is not None and media.width and media.height:
            source = self._rasters.get(media.id) or Raster(
                media.width, media.height, float(media.pixel_aspect)
            )
            self._rasters[media.id] = source
        elif isinstance(item.content, NestedUse) and item.content.sequence in self.sequences:
            nested = self.sequences[item.content.sequence]
            source = Raster(*nested.frame_size, float(nested.pixel_aspect))
        return Space(frame, source, item.motion.fit if item.motion is not None else "fit")

    def picture(self, element: Node, item: Item, media: Media | None, local: Exact) -> None:
        motion = item.motion or Motion()
        space = self._space(item, media)
        if _set(motion.crop, (0.0, 0.0, 0.0, 0.0)):
            left, top, right, bottom = (number(part) for part in space.crop_out(motion.crop.still))
            crop = add(element, "adjust-crop", mode="trim")
            rect = add(crop, "trim-rect", left=left, top=top, right=right, bottom=bottom)
            for place, side in enumerate(("left", "top", "right", "bottom")):
                self._keys(
                    rect,
                    side,
                    motion.crop,
                    local,
                    lambda value, place=place: number(space.crop_out(value)[place]),  # type: ignore[misc]
                    curved=False,
                )
        if _set(motion.corners, (0.0,) * 8):
            self._corners(element, motion.corners, space, local)
        if not isinstance(item.content, Title | Generator) and space.fit != "fit" and not _same_size(space):
            add(element, "adjust-conform", type=space.fit)
        slots: list[tuple[str, Curve, Vector, Callable[[Vector], Vector]]] = [
            ("position", motion.position, (0.0, 0.0), space.position_out),
            ("scale", motion.scale, (1.0, 1.0), lambda value: value),
            ("rotation", motion.rotation, (0.0,), lambda value: (-value[0] + 0.0,)),
            ("anchor", motion.anchor, (0.0, 0.0), space.anchor_out),
        ]
        if any(_set(curve, neutral) for _, curve, neutral, _ in slots):
            transform = add(element, "adjust-transform")
            for name, curve, neutral, convert in slots:
                if _set(curve, neutral):
                    transform.set(name, " ".join(number(part) for part in convert(curve.still)))
            for name, curve, neutral, convert in slots:
                if _set(curve, neutral):
                    self._keys(
                        transform,
                        name,
                        curve,
                        local,
                        lambda value, c=convert: " ".join(map(number, c(value))),  # type: ignore[misc]
                    )
        mode = next((code for code, name in BLEND_NUMBERS.items() if name == item.blend), 0)
        if _set(motion.opacity, (1.0,)) or mode:
            blend = add(element, "adjust-blend", amount=number(motion.opacity.still[0]))
            if mode:
                blend.set("mode", f"{mode} ({item.blend.title()})")
            self._keys(blend, "amount", motion.opacity, local, lambda value: number(value[0]))

    def _corners(self, element: Node, corners: Curve, space: Space, local: Exact) -> None:
        adjust = add(element, "adjust-corners")

        def spelled(value: Vector, place: int) -> str:
            return " ".join(number(part) for part in space.corner_out(value[2 * place : 2 * place + 2]))

        for place, corner in enumerate(CORNERS):
            adjust.set(corner, spelled(corners.still, place))
        for place, corner in enumerate(CORNERS):
            self._keys(adjust, corner, corners, local, lambda value, place=place: spelled(value, place))  # type: ignore[misc]

    def _keys(
        self,
        parent: Node,
        name: str,
        curve: Curve,
        local: Exact,
        spell: Callable[[Vector], str],
        curved: bool = True,
    ) -> None:
        if not curve.keys:
            return
        block = add(add(parent, "param", name=name), "keyframeAnimation")
        for key in anchored(curve):
            add(
                block,
                "keyframe",
                time=time_of(exact(local + self.sequence.rate.seconds(key.time))),
                value=spell(key.value),
                interp=INTERPOLATIONS.get(key.ease, "linear"),
                curve="linear" if curved else None,
            )

    def sound(self, element: Node, sound: Sound, local: Exact) -> None:
        level, pan = sound.level, sound.pan
        if level.keys or (pan is not None and pan.keys):
            self._sound(element, sound, local)
            return
        # What does not move is said of many clips in the same words.
        key = (level.value, sound.fade_in, sound.fade_out, pan)
        self._pieces.put(element, key, lambda parent: self._sound(parent, sound, local))

    def _sound(self, element: Node, sound: Sound, local: Exact) -> None:
        if (
            sound.level.keys
            or sound.level.value != (0.0,)
            or sound.fade_in is not None
            or sound.fade_out is not None
        ):
            volume = add(element, "adjust-volume", amount=_db(sound.level.still))
            holder: Node | None = None
            if sound.level.keys:
                self._keys(volume, "amount", sound.level, local, _db, curved=False)
                holder = volume.find("param")
            for tag, fade, shape in (
                ("fadeIn", sound.fade_in, "easeIn"),
                ("fadeOut", sound.fade_out, "easeOut"),
            ):
                if fade is not None:
                    if holder is None:
                        holder = add(volume, "param", name="amount", value=_db(sound.level.still))
                    child = node(
                        tag,
                        type="linear" if fade.shape == "linear" else shape,
                        duration=time_of(self.sequence.rate.seconds(fade.duration)),
                    )
                    holder.insert(0 if tag == "fadeIn" else len(holder.findall("fadeIn")), child)
        if sound.pan is not None:
            panner = add(
                element,
                "adjust-panner",
                mode="1 (Stereo Left/Right)",
                amount=number(sound.pan.still[0] * 100),
            )
            self._keys(panner, "amount", sound.pan, local, lambda value: number(value[0] * 100), curved=False)

    def components(self, sound: Sound | None, count: int, role: str) -> list[Node]:
        """Components are spelled where not all channels are used or one is off (9)."""
        if sound is None:
            return []
        channels = sound.channels or (1,)
        if channels == tuple(range(1, count + 1)) and not sound.muted:
            return []
        key = (channels, sound.muted, role)
        known = self._parts.get(key)
        if known is None:
            known = self._parts[key] = shared(
                *(
                    node(CHANNEL, srcCh=channel, role=role, active="0" if channel in sound.muted else None)
                    for channel in dict.fromkeys(channels)
                )
            )
        return known


def anchored(curve: Curve) -> tuple[Key, ...]:
    """The keys of a curve, with one more at the item's start where all lie before it: times that are all
    before the start are read as counting from it (8)."""
    keys = curve.keys
    return (*keys, Key(0, keys[-1].value)) if keys and keys[-1].time < 0 else keys


def _on_frame(seconds: Exact, rate: Rate) -> Exact:
    frames = rate.frames(seconds)
    return rate.seconds(frames if isinstance(frames, int) else frames.numerator // frames.denominator)


def _set(curve: Curve, neutral: Vector) -> bool:
    return bool(curve.keys) or curve.value != neutral


def _same_size(space: Space) -> bool:
    """Whether every fit mode gives the same picture."""
    width, height = space.fitted
    fit = Space(space.frame, space.source, "fit").fitted
    return abs(width - fit[0]) < 1e-6 and abs(height - fit[1]) < 1e-6


def _db(value: Vector) -> str:
    level = value[0]
    return (
        f"{number(max(SILENCE_DB, min(MAX_DB, level)))}dB" if level != float("-inf") else f"{SILENCE_DB:g}dB"
    )
