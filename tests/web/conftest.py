"""Lines sent to the bench as a device sends them."""

from __future__ import annotations

import json
from collections.abc import Callable
from typing import Any

import pytest
from django.test import Client
from django.urls import reverse


@pytest.fixture
def send(client: Client) -> Callable[..., dict[str, Any]]:
    """Send events, and give the answer."""

    def post(*events: dict[str, Any]) -> dict[str, Any]:
        body = json.dumps({"events": list(events)})
        response = client.post(reverse("weigh_in:events"), body, content_type="application/json")
        assert response.status_code == 200
        answer: dict[str, Any] = response.json()
        return answer

    return post
