"""A page of our own where an address only takes what a page sends, as after reloading a tab."""

from __future__ import annotations

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse

from kilter.site.views import only_sent_to


class OnlySentToMiddleware:
    """Shows that page instead of an empty 405; which methods are allowed is still said."""

    def __init__(self, get_response: Callable[[HttpRequest], HttpResponse]) -> None:
        self.get_response = get_response

    def __call__(self, request: HttpRequest) -> HttpResponse:
        response = self.get_response(request)
        if response.status_code != 405 or request.method != "GET":
            return response
        page = only_sent_to(request)
        page["Allow"] = response["Allow"]
        return page
