"""What Weigh up keeps: questions, trials with their units, and what people say of varieties."""

from kilter.weigh_up.question.models import SavedQuestion
from kilter.weigh_up.trials.models import Trial, TrialUnit
from kilter.weigh_up.varieties.models import Criterion, Score, Verdict

__all__ = ["Criterion", "SavedQuestion", "Score", "Trial", "TrialUnit", "Verdict"]
