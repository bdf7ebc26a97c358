"""Settling step of formats in which everything has a rate: media that say none count as the sequence that
uses them does, before and after."""

from __future__ import annotations

from dataclasses import replace

from wexodos.model import MediaUse
from wexodos.settling.context import Context, Work


def sample_rates(context: Context, work: Work) -> None:
    """Write down the sample rate that sound without one is counted in anyway."""
    rate = work.sequence.sample_rate or 48000
    for lane in work.lanes:
        if lane.kind != "audio":
            continue
        for item in lane.items:
            use = item.content
            media = context.document.media_by_id.get(use.media) if isinstance(use, MediaUse) else None
            if media is not None and media.sample_rate is None:
                context.put_media(media, replace(media, sample_rate=rate), context.spelled())


def frame_size(context: Context, work: Work) -> None:
    """Write down the frame size that a sequence without one is taken to have anyway."""
    width, height = work.sequence.frame_size
    work.put_settings(replace(work.sequence, width=width, height=height), context.spelled())
