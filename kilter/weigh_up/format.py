"""What of Weigh up travels in the open format."""

from __future__ import annotations

from kilter.set_out.format import OF_CROP, of_variety
from kilter.tables.table import Table
from kilter.weigh_up.models import Criterion, SavedQuestion, Score, Trial, TrialUnit, Verdict

ADDRESS = (
    "The question as in its address: compare=…&by=…; crops by name, sites and plantings by id."
)
FORMAT = (
    Table.of(SavedQuestion, "questions", about={"address": ADDRESS}),
    Table.of(Criterion, "criteria", twin=lambda one: (one.name.lower(),)),
    Table.of(Score, "scores", told=(of_variety(),)),
    Table.of(
        Verdict, "verdicts", told=(of_variety(),), twin=lambda one: (one.variety_id, one.season)
    ),
    Table.of(Trial, "trials", told=(OF_CROP,)),
    Table.of(TrialUnit, "trial_units"),
)
