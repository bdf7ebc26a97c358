"""Mixes, stems and tracks that come home: told apart, and held against the cut's own sound."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction
from pathlib import Path

import numpy as np

from wexodos.ground import Progress
from wexodos.homecoming.within import RATE, Within
from wexodos.media import Probed
from wexodos.model import Document, Media, Sequence
from wexodos.model.stems import STEMS, stem_of
from wexodos.sound.pops import CUSTOM, lag, pops
from wexodos.sound.signals import CutSignal, FileSignal, Signal
from wexodos.sound.stamps import stamp_of
from wexodos.sound.sync import ENOUGH, Measured, measured

_MIX = ("mix", "final", "fullmix", "master", "printmaster", "stereo")
_BY_POPS = 0.5
"""How certain it is where only a pop says it."""
_POP_OFF = 2
"""Samples that a pop may be off, at rates that were converted."""
NO_DRIFT = 0.5
"""In millionths: less is within what is measured."""
_PULLS, _PULL_OFF = (Fraction(1001, 1000), Fraction(1000, 1001)), 1.0
"""Pulls between the rates of film and of television, and within how many millionths a drift is one."""
_DRIFT_PARTS = 100
"""Drifts are made up for in such parts of a millionth: two hours end within four samples."""
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
    SEQUENCE = "sequence"


@dataclass(frozen=True, slots=True)
class Returned:
    """A file of sound, what it is of the cut – ``tracks`` are the labels of what it takes the place of – and
    where it lies. ``place`` is where its first sample stands by what it says of itself, in its own samples
    from the beginning of the cut; ``found`` how much later than the cut's its sound is then, in its own
    samples; ``reference`` is what it was held against, at ``RATE``. ``within`` is where it plays where it is
    no file but came in a sequence; its path is then one inside that file."""

    facts: Probed
    role: Role
    stem: str
    tracks: tuple[str, ...]
    place: Fraction
    found: Measured
    by: tuple[By, ...]
    reference: Signal | None = field(default=None, compare=False, repr=False)
    within: Within | None = field(default=None, compare=False, repr=False)

    @property
    def path(self) -> Path:
        return Path(self.facts.path)

    @property
    def signal(self) -> Signal:
        """Its sound, at ``RATE``. Raises ``SoundError``."""
        return _signal(self.facts, self.within)

    @property
    def known(self) -> bool:
        """Whether it was recognised at all."""
        return self.found.offset is not None and self.found.certainty >= ENOUGH

    @property
    def offset(self) -> int | None:
        """How much later than the cut's its sound is, in whole samples of its own."""
        return round(self.found.offset) if self.known and self.found.offset is not None else None

    @property
    def pace(self) -> Fraction:
        """How fast it must be played for its drift to be gone; 1 where it has none. What is a pull of 0.1 %
        to what can be measured is one exactly."""
        drift = self.found.drift
        if not self.known or abs(drift) < NO_DRIFT:
            return Fraction(1)
        pull = next((one for one in _PULLS if abs((float(one) - 1) * 1e6 - drift) < _PULL_OFF), None)
        return pull if pull is not None else 1 + Fraction(round(drift * _DRIFT_PARTS), 10**6 * _DRIFT_PARTS)


def told_apart(stem: str, sequence: Sequence, alone: bool, said: str = "") -> Told | None:
    """What a file is by its name without suffix, what it takes the place of, by labels of tracks; None where
    the name does not say it. ``alone``: it is the only one that came; ``said`` goes before: ``mix``, the key
    of a stem or the label of a track."""
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
    within: Within | None = None,
) -> Returned:
    """Hold a file, or what plays ``within`` a sequence that came, against the cut's own sound, of what it
    takes the place of; a whole mix against the ``guide`` where there is one. Raises ``SoundError``."""
    role, stem, tracks = told
    path = Path(facts.path)
    reference: Signal
    if guide is not None and role is Role.MIX:
        reference, by = FileSignal(guide, RATE), By.GUIDE
    else:
        every = tuple(label for label, track in sequence.labelled_tracks() if track.kind == "audio")
        only = _only(sequence, tracks or every)
        others = tuple(only if one.id == only.id else one for one in document.sequences)
        reference, by = CutSignal(replace(document, sequences=others), only, locate, RATE), By.CUT
    other = _signal(facts, within)
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
    place, stamped = _place(path, sequence, own, facts, within)
    if found.offset is not None:
        # The file's own first sample counts from the beginning of the cut until here.
        steps = tuple(replace(one, at=one.at, samples=round(one.samples * scale)) for one in found.steps)
        found = replace(found, offset=found.offset * scale + float(place), steps=steps)
    if ways and stamped and round(found.offset or 0) == 0:
        ways.append(By.REFERENCE if within is None else By.SEQUENCE)
    return Returned(facts, role, stem, tracks, place, found, tuple(ways), reference, within)


def _signal(facts: Probed, within: Within | None) -> Signal:
    if within is None:
        return FileSignal(Path(facts.path), RATE)
    return CutSignal(within.document, within.sequence, within.locate, RATE)


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


def _place(
    path: Path, sequence: Sequence, rate: int, facts: Probed, within: Within | None
) -> tuple[Fraction, bool]:
    """Where a file's first sample stands by its time reference, or by the sequence it is in, in its samples
    from the beginning of the cut; at that beginning where it says nothing, or names a time at which the cut
    is not. And whether it says it."""
    if within is not None:
        told = Fraction(within.sequence.rate.seconds(within.sequence.start))
    else:
        stamp = stamp_of(path)
        if stamp is None or stamp.reference is None:
            return Fraction(0), False
        told = Fraction(stamp.reference, stamp.rate)
    begins = Fraction(sequence.rate.seconds(sequence.start))
    place = (told - begins) * rate
    length = Fraction(sequence.rate.seconds(sequence.duration)) * rate
    samples = Fraction(facts.seconds or 0) * rate
    if place >= length or place + samples <= 0:
        return Fraction(0), False
    return place, True
