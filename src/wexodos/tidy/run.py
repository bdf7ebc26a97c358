"""Running a recipe, and proving it: outside what a step says it changes, every frame and every sample stays
the same."""

from __future__ import annotations

from dataclasses import dataclass, field

from wexodos.evaluate import Evaluator
from wexodos.evaluate.prints import FramePrints, Prints, differing, prints
from wexodos.ground import Progress
from wexodos.model import Document, Sequence
from wexodos.tidy.library import STEPS
from wexodos.tidy.recipes import Chosen
from wexodos.tidy.step import Outcome, Render, TidyError
from wexodos.timing import Exact, ceil, floor


@dataclass(slots=True)
class Did:
    """What a step of a recipe did, or would do where it is switched off. ``problem`` says why it could not.

    ``unproven`` are frames, as (kind, from, to), that changed although the step did not say so: an error of
    ours, shown as one. The places of its lines count in the cut as the step found it: frame n of the cut
    taken in is frame n + ``shift`` there.
    """

    chosen: Chosen
    outcome: Outcome | None = None
    problem: str = ""
    unproven: list[tuple[str, int, int]] = field(default_factory=list)
    shift: int = 0

    @property
    def effect(self) -> str:
        return self.problem or (self.outcome.effect if self.outcome is not None else "")


@dataclass(slots=True)
class Tidied:
    """The result of a recipe: the document and sequence to go on with, what each step did, and what has to be
    rendered.

    Frame n of the cut taken in is frame n + ``shift`` of the result.
    """

    document: Document
    sequence: Sequence
    steps: list[Did] = field(default_factory=list)
    renders: list[Render] = field(default_factory=list)
    shift: int = 0

    @property
    def unproven(self) -> int:
        return sum(len(one.unproven) for one in self.steps)

    @property
    def problems(self) -> list[str]:
        return [
            f"{STEPS[one.chosen.step].name}: {one.problem}"
            for one in self.steps
            if one.problem and one.chosen.on
        ]


def tidy(
    document: Document,
    sequence: Sequence,
    steps: tuple[Chosen, ...],
    progress: Progress = lambda _what, _share: None,
    preview: bool = True,
) -> Tidied:
    """Run the steps that are switched on, one after another; ``preview`` also tells what the others would do
    at their place.

    A step that cannot be done is passed over with its reason. ``progress`` may raise to stop.
    """
    result = Tidied(document, sequence)
    before: FramePrints | None = None
    for number, chosen in enumerate(steps):
        progress(f"tidying: {STEPS[chosen.step].name.lower()}", number / len(steps))
        if not chosen.on and not preview:
            result.steps.append(Did(chosen))
            continue
        did = Did(chosen, shift=result.shift)
        result.steps.append(did)
        try:
            step = STEPS[chosen.step]
            outcome = did.outcome = step.run(result.document, result.sequence, step.values(chosen.options))
        except TidyError as error:
            did.problem = str(error)
            continue
        if not chosen.on or outcome.nothing:
            continue
        before = before or prints(Evaluator(result.document), result.sequence)
        after = prints(Evaluator(outcome.document), outcome.sequence)
        did.unproven = unsaid(before, after, outcome)
        result.document, result.sequence, before = outcome.document, outcome.sequence, after
        result.renders += outcome.renders
        result.shift += outcome.shift
    used = {item.content.media for item in result.sequence.items() if hasattr(item.content, "media")}
    result.renders = [one for one in result.renders if one.media.id in used]
    return result


def unsaid(before: FramePrints, after: FramePrints, outcome: Outcome) -> list[tuple[str, int, int]]:
    """Frames that are not what they were and that the step did not say it touches."""
    found = []
    for kind, one, other, said in (
        ("picture", before.picture, after.picture, outcome.touched.picture),
        ("sound", before.sound, after.sound, outcome.touched.sound),
    ):
        found += [
            (kind, low, high)
            for low, high in differing(
                _without(one, said, 0), _without(other, said, outcome.shift), outcome.shift
            )
        ]
    return found


def _without(row: Prints, said: list[tuple[Exact, Exact]], shift: int) -> Prints:
    made = row.copy()
    for low, high in said:
        made[:, max(0, floor(low) + shift) : max(0, ceil(high) + shift)] = 0
    return made
