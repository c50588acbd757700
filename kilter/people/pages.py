"""The page that every plain form is shown on: fields, Save, and the way back."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence

from django import forms
from django.core.exceptions import ValidationError
from django.db import IntegrityError
from django.http import HttpResponse
from django.shortcuts import redirect, render

from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Change
from kilter.people.undo import flash_change


def form_page(
    request: HouseholdRequest,
    form: forms.BaseForm,
    *,
    title: str,
    save: Callable[[], Change],
    back: str,
    then: str = "",
    strike: str = "",
    about: str = "",
    lists: Mapping[str, Sequence[str]] | None = None,
    for_helpers: bool = False,
) -> HttpResponse:
    """Show a form, or save it when it is right and go on;
    an action may still refuse with a sentence.
    """
    if request.method == "POST" and form.is_valid():
        try:
            flash_change(request, save())
            return redirect(then or back)
        except ValidationError as error:
            form.add_error(None, error)
        except IntegrityError:  # what somebody else wrote between the look and the saving, too
            form.add_error(
                None,
                (
                    "Something like it is here already, perhaps written just now, so this was not "
                    "saved."
                ),
            )
    context = {
        "form": form,
        "title": title,
        "back": back,
        "strike_url": strike,
        "about": about,
        "lists": lists or {},
        "is_multipart": form.is_multipart(),
        "may_save": request.membership.is_owner or (for_helpers and request.membership.may_write),
    }
    return render(request, "people/form.html", context, status=422 if form.errors else 200)
