"""The chain composition, master, file, reel: which medium a clip plays, and from where."""

from __future__ import annotations

from dataclasses import dataclass, replace

from wexodos.formats.mobs import tree
from wexodos.formats.mobs.places import source_seconds
from wexodos.formats.paths import is_still_name, path_of
from wexodos.model import Embedded, Media
from wexodos.timing import Exact, Rate, ceil, exact, floor

DEEPEST = 60
"""The key under which a medium says where in its file its sound stands: channel:mob, and so on."""
CHANNEL = "channel "
"""The beginning of the keys under which a medium names the file of each of its channels, where these have one
each."""
FINE = 1000
"""Edit rates from here up count samples, not pictures."""


@dataclass(frozen=True, slots=True)
class Found:
    """Where a clip leads: a medium and seconds into it, or another composition and seconds into that."""

    seconds: Exact
    media: str | None = None
    channel: int = 0
    composition: str | None = None
    master: tree.Mob | None = None
    inner_gain: tree.Operation | None = None
    name: str = ""
    wide: int = 1


class Sources:
    """Follows clips to their media; each medium is made once."""

    def __init__(self, file: tree.File, notes: list[tuple[str, str, str]]) -> None:
        self.file, self.notes = file, notes
        self.media: dict[str, Media] = {}
        self._keys: dict[tuple[str, ...], str] = {}

    def follow(self, clip: tree.SourceClip, rate: Rate, sequence_rate: Rate, where: str) -> Found:
        """The medium under a clip of a slot that runs at ``rate``; a lost source becomes a medium without a
        file."""
        name, gain = "", None
        master: tree.Mob | None = None
        offset: Exact = 0
        base = clip
        base_rate = rate
        seen: set[tuple[str, int]] = set()
        mob_id, slot_id, kind = clip.mob, clip.slot, clip.kind
        for _ in range(DEEPEST):
            mob = self.file.mobs.get(mob_id)
            if mob is None or (mob_id, slot_id) in seen:
                break
            seen.add((mob_id, slot_id))
            if mob.kind == "composition" and mob.usage not in ("sub", "adjusted"):
                return Found(exact(base_rate.seconds(base.start) + offset), composition=mob.id, name=mob.name)
            name = name or mob.name
            if mob.kind == "master":
                master = mob
            slot = _slot(mob, slot_id, kind)
            if slot is None:
                break
            if mob.kind == "source" and mob.descriptor is not None and mob.descriptor.role == "file":
                return self._at_file(
                    mob, slot, master, kind, base, base_rate, offset, sequence_rate, name, gain
                )
            inner, at, found = self._under(slot, base_rate.seconds(base.start) + offset)
            gain = gain or found
            if inner is None:
                break
            if mob.kind == "source" and mob.descriptor is not None and mob.descriptor.role != "file":
                # A clip right into a reel, without any file: the reel is the medium.
                return self._at_file(
                    mob, slot, master, kind, base, base_rate, offset, sequence_rate, name, gain
                )
            # ``StartTime`` of the inner clip is in the edit units of the slot it stands in.
            offset = exact(
                offset
                + slot.rate.seconds(slot.origin)
                + slot.rate.seconds(inner.start)
                - slot.rate.seconds(at)
            )
            mob_id, slot_id, kind = inner.mob, inner.slot, inner.kind
        return Found(
            exact(base_rate.seconds(base.start) + offset),
            self._lost(master, name, clip, where),
            _channel(clip, master),
            master=master,
            name=name,
        )

    def _under(
        self, slot: tree.Slot, seconds: Exact
    ) -> tuple[tree.SourceClip | None, Exact, tree.Operation | None]:
        """The clip of a slot under a place in seconds, where it begins in the slot, and a gain around it."""
        segment: tree.Segment = slot.segment
        at: Exact = 0
        gain = None
        place = slot.rate.frames(seconds) + slot.origin
        for _ in range(DEEPEST):
            if isinstance(segment, tree.SourceClip):
                return segment, at, gain
            if isinstance(segment, tree.Sequence):
                chosen = None
                position = at
                for part in segment.parts:
                    if isinstance(part, tree.Transition):
                        position -= part.length
                        continue
                    if chosen is None or position <= place:
                        chosen, start = part, position
                    position += part.length
                if chosen is None:
                    return None, 0, gain
                segment, at = chosen, start
            elif isinstance(segment, tree.Group) and segment.choices:
                segment = next(
                    (
                        one
                        for one in segment.choices
                        if isinstance(one, tree.SourceClip) and one.mob in self.file.mobs
                    ),
                    segment.choices[0],
                )
            elif isinstance(segment, tree.Selector):
                segment = segment.selected
            elif isinstance(segment, tree.Operation) and segment.inputs:
                gain = segment if segment.op == "gain" else gain
                segment = segment.inputs[min(max(segment.bypass, 1), len(segment.inputs)) - 1]
            else:
                return None, 0, gain
        return None, 0, gain

    def _at_file(
        self,
        mob: tree.Mob,
        slot: tree.Slot,
        master: tree.Mob | None,
        kind: str,
        base: tree.SourceClip,
        base_rate: Rate,
        offset: Exact,
        sequence_rate: Rate,
        name: str,
        gain: tree.Operation | None,
    ) -> Found:
        media = self._medium(mob, slot, master, kind, sequence_rate)
        channel = 0
        if kind == "sound":
            channel = self._sound_channel(mob, slot, master)
        own = media.rate if base_rate.fps >= FINE else None
        first = source_seconds(base.start, base_rate, own, sequence_rate if base_rate.fps >= FINE else None)
        wide = self._wide(mob, master) if kind == "sound" else 1
        at = exact(first + offset + slot.rate.seconds(slot.origin))
        return Found(at, media.id, channel, None, master, gain, name or mob.name, wide)

    def _wide(self, mob: tree.Mob, master: tree.Mob | None) -> int:
        """How many channels a slot stands for: all of its file's, where file and master have this one slot
        for them."""
        several = any(
            sum(slot.segment.kind == "sound" for slot in one.slots) > 1
            for one in (mob, master)
            if one is not None
        )
        return 1 if several or mob.descriptor is None else min(mob.descriptor.channels or 1, 64)

    def _sound_channel(self, mob: tree.Mob, slot: tree.Slot, master: tree.Mob | None) -> int:
        """Which channel a slot of a file is: counted in the file where it has several, else in the master."""
        sounds = [one for one in mob.slots if one.segment.kind == "sound"]
        if len(sounds) > 1:
            return sounds.index(slot) + 1
        if master is not None:
            mine = [one for one in master.slots if one.segment.kind == "sound"]
            for place, one in enumerate(mine, 1):
                clip, _, _ = self._under(one, 0)
                if clip is not None and clip.mob == mob.id:
                    numbers = [other.number for other in mine]
                    return one.number if one.number > 0 and len(set(numbers)) == len(numbers) else place
        return 1

    # ---- media

    def _medium(
        self, mob: tree.Mob, slot: tree.Slot, master: tree.Mob | None, kind: str, sequence_rate: Rate
    ) -> Media:
        """One medium a file; the files that hold the channels of one master, one each, are one medium
        together."""
        files = [mob]
        if (
            kind == "sound"
            and master is not None
            and not any(one.segment.kind == "picture" for one in mob.slots)
        ):
            files = []
            for one in master.slots:
                clip, _, _ = self._under(one, 0)
                other = (
                    self.file.mobs.get(clip.mob) if clip is not None and one.segment.kind == "sound" else None
                )
                if other is not None and other.kind == "source" and other not in files:
                    files.append(other)
            files = files if mob in files else [mob]
        key = tuple(one.id for one in files)
        known = self._keys.get(key)
        if known is not None:
            return self.media[known]
        made = self._described(files, slot, master, sequence_rate, f"m-{len(self.media) + 1}")
        self._keys[key] = made.id
        self.media[made.id] = made
        return made

    def _described(
        self, files: list[tree.Mob], slot: tree.Slot, master: tree.Mob | None, sequence_rate: Rate, new: str
    ) -> Media:
        mob = files[0]
        told = mob.descriptor or tree.Descriptor("file")
        pictures = [one for one in mob.slots if one.segment.kind == "picture"]
        sounds = (
            [one for one in mob.slots if one.segment.kind == "sound"]
            if len(files) == 1
            else [slot] * len(files)
        )
        locators = [path_of(one) for one in told.locators if one.strip()]
        path = locators[0] if locators else None
        reel, start, code, drop, reference = self._reel(mob, (pictures or [slot])[0])
        main = (pictures or sounds or [slot])[0]
        rate = pictures[0].rate if pictures else code
        length: Exact | None = main.segment.length or None
        if told.length and told.rate is not None and not length:
            length = main.rate.frames(told.rate.seconds(told.length))
        name = (
            mob.name
            or (path or "").replace("\\", "/").rsplit("/", 1)[-1]
            or (master.name if master else "")
            or new
        )
        still = is_still_name(path or name)
        duration = None
        if length is not None and not still:
            duration = length if pictures else _frames(length, main.rate, rate or sequence_rate)
        sample_rate = told.sample_rate
        if sounds and not sample_rate and sounds[0].rate.fps >= FINE:
            sample_rate = floor(sounds[0].rate.fps)
        metadata = tuple((key, value) for key, value in (master.comments if master else {}).items())
        numbers: list[int] = []
        if len(files) > 1 or (len(sounds) == 1 and told.channels in (None, 1)):
            numbers = [self._number(one, master, place) for place, one in enumerate(files, 1)]
        # A file for each channel, or for the one that is used, which need not be the first.
        apart = len(files) > 1 or numbers not in ([], [1])
        if apart:
            metadata += tuple(
                (f"{CHANNEL}{number}", path_of(one.descriptor.locators[0]))
                for number, one in zip(numbers, files)
                if one.descriptor is not None and one.descriptor.locators
            )
        if reference is not None:
            metadata += (("time reference", str(reference)),)
        inside = tuple(
            (self._number(one, master, place), one.id)
            for place, one in enumerate(files, 1)
            if one.id in self.file.essence
        )
        return Media(
            new,
            name,
            path,
            reel,
            start,
            drop,
            duration,
            rate,
            told.width,
            told.height,
            told.pixel_aspect if told.pixel_aspect is not None else 1,
            told.field_order or "progressive",
            max(numbers) if apart else told.channels or len(sounds) or None,
            sample_rate,
            told.bits,
            bool(pictures),
            bool(sounds),
            still,
            uid=mob.id,
            metadata=metadata,
            embedded=Embedded(inside) if inside else None,
        )

    def _number(self, mob: tree.Mob, master: tree.Mob | None, place: int) -> int:
        """The number of a channel that has a file of its own."""
        for slot in master.slots if master is not None else ():
            clip, _, _ = self._under(slot, 0)
            if clip is not None and clip.mob == mob.id and slot.segment.kind == "sound":
                return self._sound_channel(mob, slot, master)
        return place

    def _reel(
        self, mob: tree.Mob, slot: tree.Slot
    ) -> tuple[str | None, int | None, Rate | None, bool | None, int | None]:
        """Reel name, timecode of the first frame, its rate and drop frame, and the time in samples where it
        says more."""
        seconds: Exact = 0
        current: tree.Mob | None = mob
        here: tree.Slot | None = slot
        seen: set[str] = set()
        reel, known = None, None
        while current is not None and here is not None and current.id not in seen and len(seen) < DEEPEST:
            seen.add(current.id)
            role = current.descriptor.role if current.descriptor is not None else ""
            if role in ("tape", "film"):
                reel = current.name or None
            codes = sorted(
                (one for one in current.slots if _code(one) is not None),
                key=lambda one: (one.number != 1, one.number),
            )
            if codes:
                code = _code(codes[0])
                assert code is not None
                known = (code.start + floor(codes[0].rate.frames(seconds)), codes[0].rate, code.drop)
            clip, at, _ = self._under(here, seconds)
            if clip is None:
                break
            inside = here.rate.seconds(clip.start - at)
            following = self.file.mobs.get(clip.mob)
            if following is None:
                if here.rate.fps >= FINE and clip.start > 0 and known is not None:
                    reference = floor(here.rate.frames(seconds) + clip.start)
                    exactly = floor(here.rate.frames(known[1].seconds(known[0])))
                    return (
                        reel,
                        known[0],
                        known[1],
                        known[2],
                        reference if abs(reference - exactly) > 1 else None,
                    )
                break
            seconds = exact(seconds + inside)
            here, current = _slot(following, clip.slot, clip.kind), following
        if known is None:
            return reel, None, None, None, None
        return reel, known[0], known[1], known[2], None

    def _lost(self, master: tree.Mob | None, name: str, clip: tree.SourceClip, where: str) -> str:
        """A medium for what leads nowhere: its clips keep their places."""
        key = ("lost", master.id if master else clip.mob, name)
        if key not in self._keys:
            new = f"m-{len(self.media) + 1}"
            self._keys[key] = new
            self.media[new] = Media(
                new,
                name or "missing source",
                video=clip.kind == "picture",
                audio=clip.kind == "sound",
                metadata=tuple((master.comments if master else {}).items()),
            )
            self.notes.append(("warning", where, "its source is not in the file; the item keeps its place"))
        found = self.media[self._keys[key]]
        if (clip.kind == "picture" and not found.video) or (clip.kind == "sound" and not found.audio):
            self.media[found.id] = replace(
                found, video=found.video or clip.kind == "picture", audio=found.audio or clip.kind == "sound"
            )
        return found.id


def _slot(mob: tree.Mob, number: int, kind: str) -> tree.Slot | None:
    """The slot a clip names; where its kind is another (off by one happens), the first of the right kind."""
    found = mob.slot(number)
    if found is not None and found.segment.kind == kind:
        return found
    same = [one for one in mob.slots if one.segment.kind == kind]
    return same[0] if same else found


def _code(slot: tree.Slot) -> tree.TimecodeSegment | None:
    segment = slot.segment
    if isinstance(segment, tree.Sequence):
        segment = next((one for one in segment.parts if isinstance(one, tree.TimecodeSegment)), segment)
    return segment if isinstance(segment, tree.TimecodeSegment) else None


def _channel(clip: tree.SourceClip, master: tree.Mob | None) -> int:
    if clip.kind != "sound":
        return 0
    sounds = [one for one in master.slots if one.segment.kind == "sound"] if master is not None else []
    return next((place for place, one in enumerate(sounds, 1) if one.id == clip.slot), 1)


def _frames(length: Exact, units: Rate, rate: Rate) -> Exact:
    """A length in samples as frames; the next whole frame below where it is a rounding away."""
    found = rate.frames(units.seconds(length))
    if isinstance(found, int):
        return found
    whole = ceil(found)
    return whole if abs(float(units.frames(rate.seconds(whole)) - length)) <= 1 else found
