"""Mixes, stems and tracks that come home: told apart, held against the cut's own sound, laid in."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction
from pathlib import Path

import numpy as np

from wexodos.ground import Progress
from wexodos.media import Probed
from wexodos.model import Document, Item, Media, MediaUse, Sequence, Sound, Track
from wexodos.model.stems import STEMS, stem_of
from wexodos.sound.pops import CUSTOM, lag, pops
from wexodos.sound.signals import CutSignal, FileSignal, Signal
from wexodos.sound.stamps import stamp_of
from wexodos.sound.sync import ENOUGH, Measured, measured
from wexodos.timing import Exact, exact, floor

RATE = 48_000
"""Sound is held against sound at this rate."""
_MIX = ("mix", "final", "fullmix", "master", "printmaster", "stereo")
_BY_POPS = 0.5
"""How certain it is where only a pop says it."""
_POP_OFF = 2
"""Samples that a pop may be off, at rates that were converted."""
_LISTENED, _NOTHING = 40, 1e-4
"""At so many places it is listened whether there is anything; below -80 dBFS there is not."""


class Role(StrEnum):
    """What of the cut's sound a file is."""

    MIX = "mix"
    STEM = "stem"
    TRACK = "track"


Told = tuple[Role, str, tuple[str, ...]]
"""What a file of sound is: its role, its stem, the tracks it takes the place of."""


class By(StrEnum):
    """By what it is known where a sound belongs."""

    GUIDE = "guide"
    CUT = "cut"
    POPS = "pops"
    REFERENCE = "time reference"


@dataclass(frozen=True, slots=True)
class Returned:
    """A file of sound, what it is of the cut – ``tracks`` are the labels of what it takes the place of – and
    where it lies. ``place`` is where its first sample stands by what it says of itself, in its own samples
    from the beginning of the cut; ``found`` how much later than the cut's its sound is then, in its own
    samples; ``reference`` is what it was held against, at ``RATE``."""

    facts: Probed
    role: Role
    stem: str
    tracks: tuple[str, ...]
    place: Fraction
    found: Measured
    by: tuple[By, ...]
    reference: Signal | None = field(default=None, compare=False, repr=False)

    @property
    def path(self) -> Path:
        return Path(self.facts.path)

    @property
    def known(self) -> bool:
        """Whether it was recognised at all."""
        return self.found.offset is not None and self.found.certainty >= ENOUGH

    @property
    def offset(self) -> int | None:
        """How much later than the cut's its sound is, in whole samples of its own."""
        return round(self.found.offset) if self.known and self.found.offset is not None else None


def told_apart(facts: Probed, sequence: Sequence, alone: bool, said: str = "") -> Told | None:
    """What a file is by its name, what it takes the place of, by labels of tracks; None where the name does
    not say it. ``alone``: it is the only one that came; ``said`` goes before: ``mix``, the key of a stem or
    the label of a track."""
    stem = Path(facts.path).stem
    words = [one for one in re.split(r"[^a-z0-9]+", stem.casefold()) if one]
    tracks = [(label, track) for label, track in sequence.labelled_tracks() if track.kind == "audio"]
    every = tuple(label for label, _ in tracks)
    labels = dict(tracks)
    if said in labels:
        return Role.TRACK, stem_of(labels[said]) or "", (said,)
    if said in STEMS:
        return Role.STEM, said, tuple(label for label, track in tracks if stem_of(track) == said)
    if said == Role.MIX:
        return Role.MIX, "", every
    title = set(re.split(r"[^a-z0-9]+", sequence.name.casefold()))
    for label, track in tracks:
        name = [one for one in re.split(r"[^a-z0-9]+", track.name.casefold()) if one]
        if label.casefold() in words or (len(name) > 1 and " ".join(name) in " ".join(words)):
            return Role.TRACK, stem_of(track) or "", (label,)
    named = [key for key, names in STEMS.items() if any(one in names for one in words if one not in title)]
    if len(named) == 1:
        mine = tuple(label for label, track in tracks if stem_of(track) == named[0])
        return Role.STEM, named[0], mine
    if alone or any(one in _MIX for one in words):
        return Role.MIX, "", every
    return None


def held(
    facts: Probed,
    told: Told,
    document: Document,
    sequence: Sequence,
    locate: Callable[[Media], Path | None],
    guide: Path | None,
    progress: Progress,
) -> Returned:
    """Hold a file against the cut's own sound, of what it takes the place of; a whole mix against the
    ``guide`` where there is one. Raises ``SoundError``."""
    role, stem, tracks = told
    path = Path(facts.path)
    reference: Signal
    if guide is not None and role is Role.MIX:
        reference, by = FileSignal(guide, RATE), By.GUIDE
    else:
        every = tuple(label for label, track in sequence.labelled_tracks() if track.kind == "audio")
        only = _only(sequence, tracks or every)
        within = tuple(only if one.id == only.id else one for one in document.sequences)
        reference, by = CutSignal(replace(document, sequences=within), only, locate, RATE), By.CUT
    other = FileSignal(path, RATE)
    found = measured(reference, other, progress)
    known = found.offset is not None and found.certainty >= ENOUGH
    ways = [by] if known else []
    popped = _popped(reference, other, found)
    if popped is not None and known:
        ways.append(By.POPS)
    elif popped is not None and _silent(reference):
        # There is nothing else by which to tell.
        found, ways = Measured(popped, certainty=_BY_POPS), [By.POPS]
    own = facts.sample_rate or RATE
    scale = own / RATE
    place, stamped = _place(path, sequence, own, facts)
    if found.offset is not None:
        # The file's own first sample counts from the beginning of the cut until here.
        steps = tuple(replace(one, at=one.at, samples=round(one.samples * scale)) for one in found.steps)
        found = replace(found, offset=found.offset * scale + float(place), steps=steps)
    if ways and stamped and round(found.offset or 0) == 0:
        ways.append(By.REFERENCE)
    return Returned(facts, role, stem, tracks, place, found, tuple(ways), reference)


def _popped(reference: Signal, other: Signal, found: Measured) -> int | None:
    """How many samples later a sound is by its pop at the head: than the cut's own pop, or than two seconds
    before the cut, where by custom there is one. None without a pop, or where it says otherwise than the
    rest."""
    theirs = pops(other)
    if not theirs:
        return None
    ours = pops(reference)
    place = ours[0].at if ours else -CUSTOM * reference.rate
    late = lag(reference, other, ours[0], theirs[0]) if ours else theirs[0].at - place
    if found.offset is None or found.certainty < ENOUGH:
        return late
    return late if abs(found.offset + found.drift * 1e-6 * place - late) <= _POP_OFF else None


def _silent(signal: Signal) -> bool:
    """Whether nothing is to be heard anywhere in a sound, a pop apart."""
    count = signal.rate // 5
    last = max(0, signal.length - count)
    places = (last * number // (_LISTENED - 1) for number in range(_LISTENED))
    loud = sum(float(np.square(signal.read(at, count)).mean()) > _NOTHING**2 for at in places)
    return loud <= 1


def _only(sequence: Sequence, labels: tuple[str, ...]) -> Sequence:
    """The sequence with only some of its sound switched on."""
    tracks = tuple(
        track if track.kind != "audio" or label in labels else replace(track, enabled=False)
        for label, track in sequence.labelled_tracks()
    )
    return replace(sequence, tracks=tracks)


def _place(path: Path, sequence: Sequence, rate: int, facts: Probed) -> tuple[Fraction, bool]:
    """Where a file's first sample stands by its time reference, in its samples from the beginning of the cut;
    at that beginning where it says nothing, or names a time at which the cut is not. And whether it says
    it."""
    stamp = stamp_of(path)
    if stamp is None or stamp.reference is None:
        return Fraction(0), False
    begins = Fraction(sequence.rate.seconds(sequence.start))
    place = (Fraction(stamp.reference, stamp.rate) - begins) * rate
    length = Fraction(sequence.rate.seconds(sequence.duration)) * rate
    samples = Fraction(facts.seconds or 0) * rate
    if place >= length or place + samples <= 0:
        return Fraction(0), False
    return place, True


def laid(
    document: Document,
    sequence: Sequence,
    sounds: list[Returned],
    corrected: bool,
    silent: frozenset[Path] = frozenset(),
) -> tuple[Document, Sequence, dict[Path, str]]:
    """The cut with sounds on tracks of their own, one a file, all its channels together; what they take the
    place of is switched off and stays, and so are the tracks of those that are to be ``silent``. Where one is
    out of sync it is moved by that only if ``corrected``. And the id of the item of each."""
    media, tracks = list(document.media), list(sequence.tracks)
    placed: dict[Path, str] = {}
    off = {label for one in sounds if one.path not in silent for label in one.tracks}
    labels = {id(track): label for label, track in sequence.labelled_tracks()}
    tracks = [replace(one, enabled=False) if labels[id(one)] in off else one for one in tracks]
    ids = {one.id for one in media} | {one.id for one in sequence.items()}
    for one in sounds:
        key = free_id("returned", ids)
        rate = one.facts.sample_rate or RATE
        place = one.place
        if corrected and one.found.offset is not None:
            place -= Fraction(one.found.offset).limit_denominator(rate)
        media.append(
            Media(
                key,
                one.path.name,
                str(one.path.resolve()),
                duration=floor(Fraction(one.facts.seconds or 0) * sequence.rate.fps),
                rate=sequence.rate,
                channels=one.facts.channels,
                sample_rate=rate,
                audio=True,
            )
        )
        item = _item(one, key, free_id(f"{key}-item", ids), place, sequence)
        if item is not None:
            name = one.stem.capitalize() if one.role is Role.STEM else one.path.stem
            on = one.path not in silent
            tracks.append(Track("audio", (item,), name=name, stem=one.stem or None, enabled=on))
            placed[one.path] = item.id
    made = replace(sequence, tracks=tuple(tracks))
    within = tuple(made if one.id == made.id else one for one in document.sequences)
    return replace(document, media=tuple(media), sequences=within), made, placed


def taken_out(home: Sequence, left: Sequence) -> Sequence:
    """The cut that came home without what was laid in, and with what that takes the place of switched on as
    it was: what is different then was changed by nobody's wish."""
    before = {label: track.enabled for label, track in left.labelled_tracks()}
    tracks = tuple(
        replace(track, enabled=before[label]) for label, track in home.labelled_tracks() if label in before
    )
    return replace(home, tracks=tracks)


def _item(one: Returned, media: str, key: str, place: Fraction, sequence: Sequence) -> Item | None:
    """The clip of a file whose first sample stands at a place: from whole frame to whole frame, the source to
    the sample. What lies before the cut or behind it – leader, pops, a tail – stays in the file."""
    rate = one.facts.sample_rate or RATE
    frame = Fraction(rate) / Fraction(sequence.rate.fps)
    start = max(0, -floor(-place / frame))
    source = (start * frame - place) / rate
    last = min(sequence.duration, floor((place + Fraction(one.facts.seconds or 0) * rate) / frame))
    duration: Exact = last - start
    if duration <= 0:
        return None
    sound = Sound(channels=tuple(range(1, one.facts.channels + 1)))
    return Item(key, one.path.stem, start, duration, MediaUse(media), exact(source), sound=sound)


def free_id(wanted: str, taken: set[str]) -> str:
    """An id that is not taken, and is from now on."""
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted}-{number}", number + 1
    taken.add(name)
    return name
