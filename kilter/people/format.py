"""What of a household and its people travels in the open format."""

from django.db.models import Model

from kilter.people.models import (
    BenchLink,
    Change,
    ChangedRecord,
    Eater,
    Household,
    Invite,
    Membership,
    ServerState,
    SignIn,
    User,
)
from kilter.tables.table import Table

FORMAT = (
    Table.of(
        Household,
        "household",
        skip={
            "name": "named where it is loaded",
            "created_at": "of this installation",
            "may_onlookers_take_out": "who may do what is said where it is loaded",
        },
    ),
    Table.of(Eater, "eaters"),
)
#: What does not travel, and why.
STAYS: dict[type[Model], str] = {
    ServerState: "what this machine remembers of itself",
    SignIn: "where somebody is signed in is of this machine",
    User: "people sign in where they are",
    Membership: "who may do what is said where it is loaded",
    Invite: "a link of this installation",
    BenchLink: "a link of this installation",
    Change: "what can be undone is undone where it was written",
    ChangedRecord: "what can be undone is undone where it was written",
}
