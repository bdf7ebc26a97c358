"""Steps for AAF and OMF: what mobs, slots and edit units cannot say."""

from __future__ import annotations

from dataclasses import replace
from fractions import Fraction
from typing import Any

import numpy as np

from wexodos.carryover.context import Context, Lane, Work
from wexodos.carryover.findings import Fate
from wexodos.carryover.movement import fades_as_levels, rendered, replace_speed
from wexodos.carryover.options import OBJECTS, PLAIN
from wexodos.carryover.reference import reference
from wexodos.carryover.structure import TRACKS, drop
from wexodos.evaluate.geometry import Raster, fit_factor
from wexodos.formats.ascii_names import plain
from wexodos.formats.mobs.places import settled, settled_source, units_of
from wexodos.formats.mobs.sources import FINE
from wexodos.formats.omf.constants import NAME_LENGTH, TRACK_LENGTH
from wexodos.model import (
    NORMAL,
    Constant,
    Fade,
    Item,
    Media,
    MediaUse,
    Motion,
    Title,
    Track,
    Transition,
    Variable,
    constant,
)
from wexodos.model.speed import is_freeze, source_at, straightened
from wexodos.tidy.sounds import STEMS, stem_of
from wexodos.timing import Exact, Rate, absolute, exact, floor

SECONDS = 1e-5
"""Source times that differ by less are the same for everybody (see ``compare``)."""


def sound_units(context: Context, work: Work) -> Rate:
    """The edit rate of the sound slots that will be written."""
    if context.destination.turnover.edit_rate == "samples":
        return Rate(work.sequence.sample_rate or 48000)
    return work.sequence.rate


def turns(context: Context, work: Work) -> None:
    """A speed that goes forwards and backwards within one item: an offset map counts frames, which show on
    one side only."""
    if context.destination.format not in OBJECTS:
        return
    for lane in work.lanes:
        for item in list(lane.items):
            if isinstance(item.speed, Variable) and not is_freeze(item.speed):
                points = straightened(item.speed).points
                ways = {(b.source > a.source) - (b.source < a.source) for a, b in zip(points, points[1:])}
                if -1 in ways and len(ways) > 1:
                    replace_speed(context, work, lane, item, "speed ramp")


def mutes(context: Context, work: Work) -> None:
    """Channels that are off where nothing can be off: they stay away, and the others are heard from where
    they were."""
    if context.destination.format not in PLAIN or context.destination.sound.mutes:
        return
    for lane in work.lanes:
        for item in list(lane.items):
            sound = item.sound
            if sound is None or not sound.muted:
                continue
            kept = [place for place, channel in enumerate(sound.channels) if channel not in sound.muted]
            if not kept:
                drop(
                    context,
                    work,
                    lane,
                    item,
                    Fate.LEFT,
                    "all its channels are off",
                    "nothing; it was not heard",
                    minutes=0,
                )
                continue
            pan = sound.pan
            if len(sound.channels) == 2:
                side = (-1.0, 1.0)[kept[0]]
                old = pan or constant(0)
                pan = replace(
                    old,
                    value=(min(max(old.value[0] + side, -1.0), 1.0),),
                    keys=tuple(
                        replace(key, value=(min(max(key.value[0] + side, -1.0), 1.0),)) for key in old.keys
                    ),
                )
            channels = tuple(sound.channels[place] for place in kept)
            lane.swap(item, replace(item, sound=replace(sound, channels=channels, muted=(), pan=pan)))
            context.find(
                work,
                "mute",
                "channels",
                item,
                lane.label,
                Fate.ADAPTED,
                "nothing can be off there; the channels that are off stay away",
                "nothing, unless they are wanted",
                ("mute", "channels", "pan", "extent"),
                before=f"channel {sound.muted} off",
                after=f"channel {channels}",
                minutes=0,
            )


def by_stem(context: Context, work: Work) -> None:
    """Sound tracks in the order of their stems."""
    if not context.destination.turnover.by_stem or context.destination.format not in OBJECTS:
        return

    order = list(STEMS)

    def place(lane: Lane) -> int:
        stem = stem_of(lane.track)
        return order.index(stem) if stem in order else len(order)

    sounds = [lane for lane in work.lanes if lane.kind == "audio"]
    ordered = sorted(sounds, key=place)
    if any(one is not other for one, other in zip(ordered, sounds)):
        work.lanes = [lane for lane in work.lanes if lane.kind != "audio"] + ordered
        context.find(
            work,
            "track",
            "order",
            (0, 0),
            "A1",
            Fate.ADAPTED,
            "sound tracks are ordered by their stems",
            "nothing",
            item_id=f"{work.sequence.id}:A",
            name="sound tracks",
            before=", ".join(one.label for one in sounds),
            after=", ".join(one.label for one in ordered),
            minutes=0,
            everywhere=TRACKS,
        )


def without_pictures(context: Context, work: Work) -> None:
    """A turnover of sound has no picture tracks at all."""
    if context.destination.format not in OBJECTS or context.destination.pictures.carry:
        return
    lanes = [lane for lane in work.lanes if lane.kind == "video"]
    if lanes:
        work.lanes = [lane for lane in work.lanes if lane.kind != "video"]
        context.find(
            work,
            "track",
            "track",
            (0, 0),
            "V1",
            Fate.LEFT,
            "a turnover of sound has no picture tracks",
            "nothing",
            item_id=f"{work.sequence.id}:V",
            name="picture tracks",
            minutes=0,
            everywhere=TRACKS,
        )
    picture = reference(context, work) if not work.prefix else None
    if picture is not None:
        work.lanes.insert(0, picture)


def edges(context: Context, work: Work) -> None:
    """Sound transitions from or to nothing are fades there; transitions begin where the source does."""
    if context.destination.format not in OBJECTS:
        return
    for lane in work.lanes:
        starts = {one.start: one for one in lane.items}
        ends = {one.end: one for one in lane.items}
        for transition in list(lane.transitions):
            into, out = starts.get(transition.cut), ends.get(transition.cut)
            if lane.kind == "audio" and (into is None) != (out is None):
                _as_fade(context, work, lane, transition, into, out)
            elif into is not None and transition.start < transition.cut:
                _from_the_source(context, work, lane, transition, into, out)
        if lane.kind == "audio":
            _crowded_fades(context, work, lane)
        else:
            _borders(context, work, lane)


def _crowded_fades(context: Context, work: Work, lane: Lane) -> None:
    """Fades that no transition over a filler can spell: beside a crossfade, longer than their clip, or on one
    played faster."""
    cuts = {one.cut for one in lane.transitions}
    as_clips = context.destination.turnover.fades == "clips"
    for item in list(lane.items):
        sound = item.sound
        if sound is None or (sound.fade_in is None and sound.fade_out is None):
            continue
        wanted = sum(one.duration for one in (sound.fade_in, sound.fade_out) if one is not None)
        taken = sum(
            absolute(one.end - one.cut if one.cut == item.start else one.cut - one.start)
            for one in lane.transitions
            if one.cut in (item.start, item.end)
        )
        beside = (sound.fade_in is not None and item.start in cuts) or (
            sound.fade_out is not None and item.end in cuts
        )
        if beside or wanted + taken > item.duration or (as_clips and item.speed is not NORMAL):
            lane.swap(item, replace(item, sound=fades_as_levels(context, work, lane, item, sound)))


def _borders(context: Context, work: Work, lane: Lane) -> None:
    for place, one in enumerate(lane.transitions):
        if one.type == "wipe" and one.border_color:
            lane.transitions[place] = replace(one, border_color=None)
            context.find(
                work,
                "transition",
                "border",
                one,
                lane.label,
                Fate.ADAPTED,
                "the border of a wipe has no colour of its own there",
                "colour it again there",
                ("transition edge",),
                before=one.border_color,
                after="none",
            )


def _as_fade(
    context: Context, work: Work, lane: Lane, transition: Transition, into: Item | None, out: Item | None
) -> None:
    item = into or out
    assert item is not None and item.sound is not None
    own = (
        exact(transition.end - transition.cut)
        if into is not None
        else exact(transition.cut - transition.start)
    )
    lane.transitions.remove(transition)
    if own > 0:
        fade = Fade(min(own, item.duration), "linear" if transition.type == "audio-linear" else "equal-power")
        sound = replace(item.sound, fade_in=fade) if into is not None else replace(item.sound, fade_out=fade)
        lane.swap(item, replace(item, sound=sound))
    context.find(
        work,
        "transition",
        transition.type,
        transition,
        lane.label,
        Fate.ADAPTED,
        "a sound transition from or to nothing is a fade there",
        "nothing",
        ("transition", "mix", "level", "extent"),
        (item.id,),
        before=transition.name,
        after="fade",
        minutes=0,
    )


def _from_the_source(
    context: Context, work: Work, lane: Lane, transition: Transition, into: Item, out: Item | None
) -> None:
    """A transition for whose beginning the incoming source has no frames begins with the source."""
    if not isinstance(into.content, MediaUse) or into.still or is_freeze(into.speed):
        return
    reach = exact(transition.cut - transition.start)
    first, _ = source_at(into.speed, into.source_in, -reach, work.sequence.rate)
    if first >= 0 or isinstance(into.speed, Variable) or into.speed.rate < 0:
        return
    there = max(
        0, floor(work.sequence.rate.frames(exact(Fraction(into.source_in) / Fraction(into.speed.rate))))
    )
    start = exact(transition.cut - min(there, reach))
    place = lane.transitions.index(transition)
    neighbours = tuple(one.id for one in (into, out) if one is not None)
    if start >= transition.end:
        lane.transitions.pop(place)
        after = "cut"
    else:
        lane.transitions[place] = replace(transition, start=start, duration=exact(transition.end - start))
        after = str(start)
    context.find(
        work,
        "transition",
        "length",
        transition,
        lane.label,
        Fate.ADAPTED,
        "the source has no frames before its first; the transition begins with it",
        "look at the transition",
        ("transition", "transition length", "mix", "extent"),
        neighbours,
        before=str(transition.start),
        after=after,
    )


def anchors(context: Context, work: Work) -> None:
    """A picture that stands by another point than its centre: moved so that it stands where it stood."""
    if context.destination.format not in OBJECTS:
        return
    size = work.sequence.frame_size
    for lane in work.lanes:
        for place, item in enumerate(lane.items):
            motion = item.motion
            if motion is None or motion.anchor == Motion().anchor:
                continue
            moving = [name for name in ("anchor", "scale", "rotation") if getattr(motion, name).animated]
            if moving:
                context.find(
                    work,
                    "motion",
                    "anchor",
                    item,
                    lane.label,
                    Fate.LEFT,
                    f"pictures turn about their centre there, and its {moving[0]} moves",
                    "place it again there",
                    ("position",),
                    before="anchored",
                    after="centred",
                )
            else:
                motion = replace(motion, position=_landed(context, motion, item, size, work))
            lane.items[place] = replace(item, motion=replace(motion, anchor=Motion().anchor))


def _landed(context: Context, motion: Motion, item: Item, size: tuple[int, int], work: Work) -> Any:
    media = (
        context.document.media_by_id.get(item.content.media) if isinstance(item.content, MediaUse) else None
    )
    aspect = float(work.sequence.pixel_aspect)
    frame = Raster(*size, aspect)
    source = (
        Raster(media.width, media.height, float(media.pixel_aspect))
        if media and media.width and media.height
        else frame
    )
    k = fit_factor(motion.fit, source, frame)
    arm = (
        np.array(motion.anchor.still)
        * np.array(motion.scale.still)
        * np.array([source.width * source.pixel_aspect * k, source.height * k])
    )
    angle = np.radians(motion.rotation.still[0])
    by = (
        -(arm[0] * np.cos(angle) - arm[1] * np.sin(angle)) / aspect,
        -(arm[0] * np.sin(angle) + arm[1] * np.cos(angle)),
    )
    old = motion.position
    return replace(
        old,
        value=(old.value[0] + by[0], old.value[1] + by[1]),
        keys=tuple(replace(key, value=(key.value[0] + by[0], key.value[1] + by[1])) for key in old.keys),
    )


def units(context: Context, work: Work) -> None:
    """Record and source times on edit units."""
    if context.destination.format not in OBJECTS:
        return
    own = work.sequence.rate
    fine = sound_units(context, work)
    for lane in work.lanes:
        rate = fine if lane.kind == "audio" else own
        _joins(lane, own, rate)
        for place, item in enumerate(lane.items):
            new = _placed(context, work, lane, item, rate)
            lane.items[place] = _sourced(context, work, lane, new, rate)


def _joins(lane: Lane, own: Rate, rate: Rate) -> None:
    if rate == own:
        return
    for place, one in enumerate(lane.transitions):
        start, end, cut = (settled(at, own, rate) for at in (one.start, one.end, one.cut))
        if (start, end, cut) != (one.start, one.end, one.cut):
            lane.transitions[place] = replace(one, start=start, duration=exact(end - start), cut=cut)


def _placed(context: Context, work: Work, lane: Lane, item: Item, rate: Rate) -> Item:
    own = work.sequence.rate
    sound = item.sound
    if sound is not None and lane.kind == "audio":
        fades = [
            replace(one, duration=settled(one.duration, own, rate)) if one is not None else None
            for one in (sound.fade_in, sound.fade_out)
        ]
        if fades != [sound.fade_in, sound.fade_out]:
            item = replace(item, sound=replace(sound, fade_in=fades[0], fade_out=fades[1]))
    start, end = settled(item.start, own, rate), settled(item.end, own, rate)
    if (start, end) == (item.start, item.end):
        return item
    if units_of(item.end, own, rate) <= units_of(item.start, own, rate):
        end = exact(start + own.frames(rate.seconds(1)))
    off = max(abs(float(start - item.start)), abs(float(end - item.end)))
    context.find(
        work,
        "clip",
        "record place",
        item,
        lane.label,
        Fate.ADAPTED,
        "its edges fall between two edit units there, and go to the nearer one",
        "nothing",
        (
            "record start",
            "record end",
            "source in",
            "source samples",
            "source frames",
            "extent",
            "level",
            "mix",
        ),
        before=str(item.start),
        after=str(start),
        deviation=(round(off, 6), "fr"),
        minutes=0,
    )
    by = own.seconds(exact(start - item.start))
    source = (
        exact(item.source_in + by * item.speed.rate) if isinstance(item.speed, Constant) else item.source_in
    )
    return replace(item, start=start, duration=exact(end - start), source_in=source)


def _sourced(context: Context, work: Work, lane: Lane, item: Item, rate: Rate) -> Item:
    """The source on the unit its clip begins with, handles of a transition included."""
    if not isinstance(item.content, MediaUse) or item.still or isinstance(item.speed, Variable):
        return item
    if lane.kind == "audio" and rendered(context, item):
        return item
    own = work.sequence.rate
    media = context.document.media_by_id.get(item.content.media)
    before = next((exact(one.cut - one.start) for one in lane.transitions if one.cut == item.start), 0)
    first, _ = source_at(item.speed, item.source_in, -before, own)
    if item.speed.rate == 0:
        there = rate.seconds(max(0, floor(rate.frames(first) + exact(1, 1000))))
    else:
        fine = rate.fps >= FINE
        there = settled_source(
            first, rate, media.rate if fine and media is not None else None, own if fine else None
        )
    by = exact(there - first)
    if not by:
        return item
    if abs(float(by)) > SECONDS or _shows_other(item, media, by, own):
        counted = (media.rate if media is not None and media.rate is not None else own).frames(by)
        context.find(
            work,
            "clip",
            "source in",
            item,
            lane.label,
            Fate.ADAPTED,
            "the source begins between two edit units there, and goes to the nearer one",
            "slip it back if the part of a frame matters",
            ("source in", "source samples", "source frames"),
            before=str(item.source_in),
            after=str(exact(item.source_in + by)),
            deviation=(round(abs(float(counted)), 4), "fr"),
        )
    return replace(item, source_in=exact(item.source_in + by))


def _shows_other(item: Item, media: Media | None, by: Exact, own: Rate) -> bool:
    """Whether even this little shows another frame or plays another sample somewhere."""
    rate = (
        Rate(media.sample_rate or 48000)
        if item.sound is not None and media is not None
        else (media.rate if media is not None and media.rate is not None else own)
    )
    return floor(rate.frames(item.source_in) + exact(1, 1000)) != floor(
        rate.frames(item.source_in + by) + exact(1, 1000)
    ) or (item.speed is not NORMAL or own.fps != rate.fps)


def names(context: Context, work: Work) -> None:
    """Names of tracks and clips; switches of filters; what a track says that has no form."""
    if context.destination.format not in PLAIN:
        return
    takes = context.destination.tracks
    ascii_only = context.destination.format in ("omf", "edl")
    if ascii_only:
        _plain_settings(context, work)
    for lane in work.lanes:
        track = lane.track
        name = track.name or (track.stem or "" if lane.kind == "audio" else "")
        if ascii_only:
            name = plain(" ".join(name.split()), TRACK_LENGTH)
        new = Track(track.kind, name=name)
        covers = [
            what
            for what, changed in (("track name", name != track.name), ("stem", new.role != track.role))
            if changed
        ]
        if covers:
            context.find(
                work,
                "track",
                "track",
                (0, 0),
                lane.label,
                Fate.ADAPTED,
                "a track has one name there; its stem is part of it",
                "nothing",
                tuple(covers),
                (f"track:{lane.label}",),
                f"{work.sequence.id}:{lane.label}",
                name or lane.label,
                before=f"{track.name} ({track.stem})",
                after=name,
                minutes=0,
            )
        lane.track = replace(track, name=name, stem=None)
        for place, item in enumerate(lane.items):
            lane.items[place] = _named(context, work, lane, item, takes.notes, takes.metadata)


def _plain_settings(context: Context, work: Work) -> None:
    """What OMF cannot say of a sequence, and its name in plain letters."""
    sequence = work.sequence
    length = sequence.duration
    name = plain(" ".join(sequence.name.split()), NAME_LENGTH) or "Sequence"
    if name != sequence.name:
        context.find(
            work,
            "settings",
            "name",
            (0, length),
            "",
            Fate.ADAPTED,
            "names are plain ASCII of 63 letters there",
            "nothing",
            ("name",),
            item_id="",
            name=sequence.name,
            before=sequence.name,
            after=name,
            minutes=0,
        )
    for what, value, rest in (
        ("pixel aspect", sequence.pixel_aspect, 1),
        ("field order", sequence.field_order, "progressive"),
    ):
        if value != rest:
            context.find(
                work,
                "settings",
                what,
                (0, length),
                "",
                Fate.LEFT,
                "nothing says it there",
                "nothing",
                (what,),
                item_id="",
                name=what,
                before=str(value),
                after=str(rest),
                minutes=0,
            )
    work.sequence = replace(sequence, name=name, pixel_aspect=1, field_order="progressive")


def _named(context: Context, work: Work, lane: Lane, item: Item, notes: bool, metadata: bool) -> Item:
    if not item.name and not isinstance(item.content, Title):
        media = (
            context.document.media_by_id.get(item.content.media)
            if isinstance(item.content, MediaUse)
            else None
        )
        name = media.name if media is not None else item.kind
        context.find(
            work,
            "metadata",
            "name",
            item,
            lane.label,
            Fate.ADAPTED,
            "clips must have a name there; it gets that of its medium",
            "nothing",
            ("name",),
            before="",
            after=name,
            minutes=0,
        )
        item = replace(item, name=name)
    if (
        context.destination.format in ("omf", "edl")
        and plain(" ".join(item.name.split()), NAME_LENGTH) != item.name
    ):
        name = plain(" ".join(item.name.split()), NAME_LENGTH) or "clip"
        context.find(
            work,
            "metadata",
            "name",
            item,
            lane.label,
            Fate.ADAPTED,
            "names are plain ASCII of 63 letters there",
            "nothing",
            ("name",),
            before=item.name,
            after=name,
            minutes=0,
        )
        item = replace(item, name=name)
    off = [effect for effect in item.effects if not effect.enabled]
    for effect in off:
        context.find(
            work,
            "filter",
            effect.name,
            item,
            lane.label,
            Fate.LEFT,
            "a filter that is switched off has no form there",
            "filter it again there, if it is wanted",
            ("filters", "filter settings"),
            before=effect.name,
            minutes=0,
        )
    if off:
        item = replace(item, effects=tuple(effect for effect in item.effects if effect.enabled))
    if item.metadata and not metadata:
        context.find(
            work,
            "metadata",
            "metadata",
            item,
            lane.label,
            Fate.LEFT,
            "clips have no fields there",
            "nothing",
            ("metadata",),
            before="; ".join(f"{key}: {value}" for key, value in item.metadata)[:300],
            minutes=0,
        )
        item = replace(item, metadata=())
    if item.note and not notes:
        context.find(
            work,
            "metadata",
            "note",
            item,
            lane.label,
            Fate.LEFT,
            "clips have no notes there",
            "nothing",
            ("note",),
            before=item.note[:300],
            minutes=0,
        )
        item = replace(item, note="")
    return item
