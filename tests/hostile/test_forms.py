"""Five hundred broken forms: several fields wrong at once, of every form,
and never a failure of ours.
"""

from __future__ import annotations

import random

import pytest

from kilter.people.models import User
from tests.web.routes import complete
from tests.web.test_bad_input import NASTY, forms_of, forms_shown

SEED, EACH = 20261126, 250


@pytest.mark.parametrize("half", [0, pytest.param(1, marks=pytest.mark.sweep)])
def test_a_broken_form_is_answered(transactional_db, client, garden, half):
    client.raise_request_exception = False
    complete(garden)
    rng = random.Random(SEED + half)
    shown = sorted((forms_shown(client, garden) | forms_of(garden)).items())
    failed = []
    for number in range(EACH):
        path, fields = shown[number % len(shown)]
        sent = dict(fields)
        for name in rng.sample(sorted(sent), min(len(sent), rng.randint(1, 5))):
            wrong = rng.choice((*NASTY, [rng.choice(NASTY), rng.choice(NASTY)], None))
            if wrong is None:
                sent.pop(name)
            else:
                sent[name] = wrong
        if rng.random() < 0.2:
            sent[
                rng.choice(("household", "household_id", "id", "pk", "csrfmiddlewaretoken", "seen"))
            ] = "1"
        response = client.post(path, sent)
        if response.status_code >= 500:
            failed.append((path, sent))
        if User.objects.filter(pk=garden.owner.pk).exists():
            client.force_login(User.objects.get(pk=garden.owner.pk))
    assert failed == []
