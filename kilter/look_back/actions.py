"""Writes of a review: what becomes of its lines, what is decided, what judges say."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date

from kilter.look_back.models import WORDS_LENGTH, Decision, Remark, Review
from kilter.look_back.review import Read, ReviewLine
from kilter.people.actions import save_owned
from kilter.people.history import Actor, Recorder, changing
from kilter.people.models import Change
from kilter.set_out.models import Variety
from kilter.weigh_up.varieties.models import Criterion, Score, Verdict

SAYS = {
    Remark.State.KEPT: "Kept: {}",
    Remark.State.REWORDED: "Reworded: {}",
    Remark.State.STRUCK: "Struck out: {}",
}


def remark_on(
    actor: Actor, season: int, line: ReviewLine, state: str, words: str, cause: str
) -> Change:
    """Keep, reword or strike a drafted line, or leave it to the draft again."""
    standing = Remark.objects.of(actor.household).filter(season=season, key=line.key).first()
    if state == Remark.State.OWN:
        with changing(actor, f"Drafted anew: {line.words}") as recorder:
            if standing is not None:
                recorder.strike(standing)
        return recorder.change
    remark = standing or Remark(
        season=season, key=line.key, crop_id=line.crop, side=line.side, drafted=line.words
    )
    remark.state, remark.cause = state, cause
    remark.words = (words if state == Remark.State.REWORDED else remark.drafted or line.words)[
        :WORDS_LENGTH
    ]
    return save_owned(actor, remark, SAYS[Remark.State(state)].format(remark.words))


def say(actor: Actor, remark: Remark) -> Change:
    """Keep a line in the gardener's own words."""
    return save_owned(actor, remark, f"Said of {remark.season}: {remark.words}")


def save_note(actor: Actor, review: Review) -> Change:
    """Keep the season in the gardener's own words."""
    return save_owned(actor, review, f"The season {review.season} in your own words is saved.")


def finish(actor: Actor, found: Read, on: date) -> Change:
    """Say that a review is written: what was drafted and neither reworded nor struck is kept as it
    stands.
    """
    with changing(actor, f"The review of {found.review.season} is written.") as recorder:
        household = actor.household
        recorder.make(Remark, [_kept(found, line) for line in _on_the_sheets(found)])
        review = found.review
        review.household, review.written_on = household, on
        recorder.save(review)
    return recorder.change


def _on_the_sheets(found: Read) -> Iterable[ReviewLine]:
    """What is drafted and stands on one of the sheets."""
    lines = list(found.of_season().lines)
    for crop in found.crops:
        lines += found.of_crop(crop).lines
    return {line.key: line for line in lines if not line.state}.values()


def _kept(found: Read, line: ReviewLine) -> Remark:
    words = line.words[:WORDS_LENGTH]
    said = {"season": found.review.season, "key": line.key, "crop_id": line.crop, "side": line.side}
    return Remark(
        household=found.season.household,
        state=Remark.State.KEPT,
        words=words,
        drafted=words,
        **said,
    )


def reopen(actor: Actor, review: Review) -> Change:
    """Go on writing a review."""
    review.written_on = None
    return save_owned(actor, review, f"The review of {review.season} is written on.")


def decide(actor: Actor, decision: Decision) -> Change:
    """Keep what is to change."""
    return save_owned(actor, decision, f"Decided after {decision.season}: {decision}.")


def put_aside(actor: Actor, decision: Decision, why: str) -> Change:
    """A decision is not followed, with a word why; without one it is taken up again."""
    decision.aside = why
    says = f"Put aside: {decision}" if why else f"Taken up again: {decision}"
    return save_owned(actor, decision, f"{says}.")


def plan(actor: Actor, decision: Decision, on: date | None) -> Change:
    """The plan has it, or has it no longer."""
    decision.planned_on = on
    return save_owned(
        actor, decision, f"{'In the plan' if on else 'Not in the plan any more'}: {decision}."
    )


def judge(
    actor: Actor,
    season: int,
    who: str,
    scores: Sequence[tuple[Variety, Criterion, int | None]],
    verdicts: Sequence[tuple[Variety, str, str]],
) -> Change:
    """Keep one judge's scores of a sitting, and the household's verdicts;
    what was said before is changed.
    """
    household = actor.household
    with changing(actor, f"What {who} says of {season} is kept.") as recorder:
        varieties = [variety for variety, *_ in scores] + [variety for variety, *_ in verdicts]
        known = Score.objects.of(household).filter(
            season=season, judge=who, use="", variety__in=varieties
        )
        standing = {(score.variety_id, score.criterion_id): score for score in known.order_by("pk")}
        for variety, criterion, value in scores:
            _score(
                recorder,
                standing.get((variety.pk, criterion.pk)),
                value,
                variety=variety,
                criterion=criterion,
                season=season,
                judge=who,
                household=household,
            )
        before = {
            v.variety_id: v
            for v in Verdict.objects.of(household).filter(season=season, variety__in=varieties)
        }
        for variety, kind, reason in verdicts:
            verdict = before.get(variety.pk) or Verdict(
                household=household, variety=variety, season=season
            )
            if not kind and verdict.pk:
                recorder.strike(verdict)
            elif kind and (verdict.kind, verdict.reason) != (kind, reason):
                verdict.kind, verdict.reason = kind, reason
                recorder.save(verdict)
    return recorder.change


def _score(recorder: Recorder, standing: Score | None, value: int | None, **said: object) -> None:
    if standing is None:
        if value is not None:
            recorder.save(Score(value=value, **said))
    elif value is None:
        recorder.strike(standing)
    elif standing.value != value:
        standing.value = value
        recorder.save(standing)
