"""What Weigh up tells of a season: saved questions, trials,
and a bounded search for what is worth asking.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field

from django.db.models import Max
from django.http import QueryDict
from django.urls import reverse

from kilter.core.compare import Comparison, compare
from kilter.core.errors import KilterError
from kilter.core.review.discoveries import found_among
from kilter.look_back.draft.line import NOTE, WELL, DraftLine, counted
from kilter.look_back.season import Season
from kilter.records.facts import PlantingFacts
from kilter.records.harvest import NEEDS
from kilter.set_out.models import Crop
from kilter.weigh_up.answer.ask import Answer, ask
from kilter.weigh_up.answer.differed import in_words
from kilter.weigh_up.answer.fairness import Column, fairness_of, happened_to, known_of_both
from kilter.weigh_up.answer.gap_words import manner_of
from kilter.weigh_up.answer.spread import spread_here
from kilter.weigh_up.answer.units import units_of
from kilter.weigh_up.answer.wording import sentence
from kilter.weigh_up.question.first import OWN_TAGS
from kilter.weigh_up.question.forms import QuestionForm
from kilter.weigh_up.question.models import SavedQuestion
from kilter.weigh_up.question.question import Question, attributes_of
from kilter.weigh_up.trials.models import Trial, TrialUnit
from kilter.weigh_up.trials.queries import question_of

#: So many saved questions and trials are read, pinned and newest first.
MOST_READ = 12
#: Of each crop its varieties are compared, and so many methods, those most plantings tell of.
METHODS_ASKED = 3
#: Comparisons looked at in one season, at most.
MOST_ASKED = 60
#: So many of those found are told.
MOST_FOUND = 5
#: So many things that differed are offered as causes.
MOST_CAUSES = 4


def lines(season: Season) -> Iterator[DraftLine]:
    """All of it."""
    words = attributes_of(season.household)
    told: set[tuple[str, str, tuple[str, ...]]] = set()
    for name, answer in _kept(season, words):
        if (line := _of_kept(season, name, answer, words)) is not None:
            told.add(_same(answer.question))
            yield line
    yield from _searched(season, words, told)


def _same(question: Question) -> tuple[str, str, tuple[str, ...]]:
    return question.compare, question.by, tuple(crop.name for crop in question.crops)


def _kept(season: Season, words: dict[str, str]) -> Iterator[tuple[str, Answer]]:
    """Saved questions and the season's trials, each answered as Weigh up answers it."""
    household = season.household
    for saved in SavedQuestion.objects.of(household)[:MOST_READ]:
        form = QuestionForm(QueryDict(saved.address), household=household)
        if form.is_valid():
            question = form.question()
            is_by_day = question.cut_off or NEEDS.get(question.by) == "lifts"
            read = None if is_by_day else season.read_all
            yield f"question:{saved.ref}", ask(household, question, form.attributes, read=read)
    trials = (
        Trial.objects.of(household)
        .filter(season=season.year)
        .select_related("crop")
        .order_by("-pk")[:MOST_READ]
    )
    blocks = dict(
        TrialUnit.objects.of(household)
        .filter(trial__in=[trial.pk for trial in trials], planting__isnull=False)
        .order_by()
        .values_list("trial")
        .annotate(Max("block"))
    )
    for trial in trials:
        question = question_of(trial, blocks.get(trial.pk, 0))
        if trial.pk in blocks and words.keys() >= set(question.attributes):
            yield f"trial:{trial.ref}", ask(household, question, words, read=season.read_all)


def _of_kept(season: Season, key: str, answer: Answer, words: dict[str, str]) -> DraftLine | None:
    """What is clear, where this season is the last one that it rests on."""
    comparison = answer.comparison
    if comparison is None or comparison.verdict != "clear":
        return None
    if max(answer.facts[unit.ref].season for unit in comparison.units) != season.year:
        return None
    crops = answer.question.crops
    named_crop = f"{', '.join(crop.name for crop in crops).capitalize()}: " if crops else ""
    said = sentence(comparison, manner_of(answer.measure), answer.seasons)
    return DraftLine(
        key=key,
        side=WELL,
        words=f"{named_crop}{said.answer} Clear, {said.scope}.",
        address=f"{reverse('weigh_up:index')}?{answer.question.address()}",
        rests=f"{counted(len(comparison.units), 'place')} compared in Weigh up",
        telling=75.0,
        crop=crops[0].pk if len(crops) == 1 else None,
        causes=tuple(
            one.what
            for one in in_words(known_of_both(answer.fairness.unfair), words, answer.facts)[
                :MOST_CAUSES
            ]
        ),
    )


@dataclass(frozen=True)
class Asked:
    """One comparison of the search."""

    crop: Crop
    question: Question
    comparison: Comparison


@dataclass
class _Search:
    """A season's plantings by crop, as the search asks about them."""

    season: Season
    words: dict[str, str]
    like: dict[int, list[PlantingFacts]] = field(default_factory=lambda: defaultdict(list))

    def __post_init__(self) -> None:
        for row in self.season.rows:
            self.like[self.season.keys[row.pk].crop].append(row)

    def questions(self, crop: Crop) -> Iterator[Question]:
        """Its varieties, and the methods that most of its plantings tell of;
        each with two levels of two at least.
        """
        rows, by = self.season.of_crop(crop.pk), self.season.by.get(crop.pk)
        if by is None:
            return
        tags = Counter(name for row in rows for name in row.methods if name not in OWN_TAGS)
        names = ["variety", *(f"method:{name}" for name, _ in tags.most_common(METHODS_ASKED))]
        for name in names:
            levels = Counter(
                row.attribute(name) for row in rows if row.record.ref in self.season.measured
            )
            if sum(count > 1 and level is not None for level, count in levels.items()) > 1:
                within = ("variety",) if name != "variety" and self._has_varieties(rows) else ()
                yield Question(
                    crops=(crop,), compare=name, by=by, within=within, seasons=(self.season.year,)
                )

    @staticmethod
    def _has_varieties(rows: list[PlantingFacts]) -> bool:
        return len({row.attribute("variety") for row in rows}) > 1

    def ask(self, question: Question) -> Comparison | None:
        """Answer it from what is read already; None where it cannot be answered."""
        crop = question.crops[0]
        rows = self.season.of_crop(crop.pk)
        measured = units_of(rows, question, self.words, (), self.season.today)
        kind, is_count = question.kind, question.measure.is_count
        prior = spread_here(question, self.like[crop.pk], measured.measures, self.season.read_all)
        names = tuple(self.words[name] for name in question.within)
        try:
            return compare(
                measured.units, block_names=names, kind=kind, is_count=is_count, prior=prior
            )
        except KilterError:
            return None


def _searched(
    season: Season, words: dict[str, str], told: set[tuple[str, str, tuple[str, ...]]]
) -> Iterator[DraftLine]:
    """What a bounded search over variety and method of each crop found,
    corrected for how much was looked at.
    """
    search = _Search(season, words)
    asked: list[Asked] = []
    for crop in season.grown:
        for question in search.questions(crop):
            if len(asked) < MOST_ASKED and (comparison := search.ask(question)) is not None:
                asked.append(Asked(crop, question, comparison))
    found = found_among([one.comparison for one in asked])
    hits = [
        (one, p)
        for one, p in zip(asked, found, strict=True)
        if p is not None and _same(one.question) not in told
    ]
    hits.sort(key=lambda hit: hit[1])
    happened = happened_to(season.household, season.own_rows, season.hits)
    if not hits:
        if asked:
            looked = (
                f"Nothing more is clear among {counted(len(asked), 'comparison')} that Kilter "
                "looked at by itself."
            )
            address = f"{reverse('weigh_up:index')}?season={season.year}"
            yield DraftLine(
                key="search",
                side=NOTE,
                words=looked,
                address=address,
                rests="varieties and methods of each crop",
                telling=6.0,
            )
        return
    for one, _ in hits[:MOST_FOUND]:
        yield _of_found(season, one, words, happened, len(asked))


def _of_found(
    season: Season, one: Asked, words: dict[str, str], happened: Mapping[str, Column], looked: int
) -> DraftLine:
    rows = {unit.ref: season.by_ref[unit.ref] for unit in one.comparison.units}
    fairness = fairness_of(season.household, one.comparison, one.question, words, rows, happened)
    unfair = in_words(known_of_both(fairness.unfair), words, rows)[:MOST_CAUSES]
    said = sentence(one.comparison, manner_of(one.question.measure), (season.year,))
    also = f" Not quite fair: {unfair[0].what} differed too." if unfair else ""
    key = f"{one.question.compare}:{one.question.by}"
    return DraftLine(
        key=f"found:{one.crop.name}:{key}"[:200],
        side=WELL,
        words=f"{one.crop.name.capitalize()}: {said.answer} Clear, {said.scope}.{also}",
        address=f"{reverse('weigh_up:index')}?{one.question.address()}",
        rests=f"{counted(len(one.comparison.units), 'place')}; one of "
        f"{counted(looked, 'comparison')} looked at, "
        "corrected for that many",
        telling=70.0,
        crop=one.crop.pk,
        causes=tuple(one.what for one in unfair),
    )
