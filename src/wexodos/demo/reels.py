"""The film in three reels, as a project file holds them: in no order, beside a reel of selects."""

from __future__ import annotations

from dataclasses import replace

from wexodos.demo.cut import Cut, Join, Lane, kiln_night

_PARTS = (("R2", 2, 2900, 5600), ("R1", 1, 0, 2900), ("R3", 3, 5600, 8000), ("selects", 10, 3000, 3600))
"""What each is called, the hour its timecode begins with, and about from where to where in the cut it is."""


def reels() -> list[Cut]:
    """Parts of the cut as sequences of their own; what does not lie wholly in one of them is left out."""
    found = []
    for name, hour, low, high in _PARTS:
        cut = kiln_night()
        edges = [clip.start for clip in cut.pictures[0].clips]
        start, stop = (min(edges, key=lambda edge: abs(edge - place)) for place in (low, high))
        found.append(
            Cut(
                [_part(lane, start, stop) for lane in cut.pictures],
                [_part(lane, start, stop) for lane in cut.sounds],
                [
                    (words, at - start, length, color)
                    for words, at, length, color in cut.markers
                    if start <= at < stop
                ],
                f"Kiln Night {name}",
                stop - start,
                hour,
            )
        )
    return found


def _part(lane: Lane, start: int, stop: int) -> Lane:
    clips = [
        replace(clip, start=clip.start - start)
        for clip in lane.clips
        if start <= clip.start and clip.end <= stop
    ]
    begins, ends = {clip.start for clip in clips}, {clip.end for clip in clips}
    joins = [replace(join, cut=join.cut - start) for join in lane.joins if _stays(join, start, begins, ends)]
    return Lane(lane.name, clips, joins, lane.channels)


def _stays(join: Join, start: int, begins: set[int], ends: set[int]) -> bool:
    """Whether what a transition leads from and to is in the part."""
    cut = join.cut - start
    return cut in ends and (cut in begins or join.alignment == "end-black")
