"""The page that every plain form is shown on: fields, Save, and the way back."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any, Final

from django import forms
from django.core.exceptions import ValidationError
from django.db import IntegrityError
from django.http import HttpResponse
from django.shortcuts import redirect, render

from kilter.people.middleware import HouseholdRequest
from kilter.people.models import Change
from kilter.people.undo import flash_change

#: The button by which another like it follows, and where what it was waits for that.
ANOTHER: Final = "another"


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
    """Show a form, or save it when it is right and go on; an action may still refuse with a
    sentence. Of what is made another like it can follow: the same form, filled as it was.
    """
    makes = isinstance(form, forms.ModelForm) and form.instance.pk is None and not strike
    makes = makes and not form.is_multipart()
    if request.method == "GET" and makes:
        form.initial = {**(form.initial or {}), **_like_before(request)}
    if request.method == "POST" and form.is_valid():
        try:
            flash_change(request, save())
            if makes and ANOTHER in request.POST:
                return _to_another(request, form)
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
        "makes": makes,
        "about": about,
        "lists": lists or {},
        "is_multipart": form.is_multipart(),
        "may_save": request.membership.is_owner or (for_helpers and request.membership.may_write),
    }
    return render(request, "people/form.html", context, status=422 if form.errors else 200)


def _to_another(request: HouseholdRequest, form: forms.BaseForm) -> HttpResponse:
    """The same page once more, to be filled as it was; of numbered things with the next number."""
    here = request.get_full_path()
    values = {name: form.data.get(form.add_prefix(name)) for name in form.fields}
    if number := form.cleaned_data.get("number"):
        values["number"] = number + 1
    request.session[ANOTHER] = {"at": here, "values": values}
    return redirect(here)


def _like_before(request: HouseholdRequest) -> dict[str, Any]:
    """What the form said that was just saved here; once."""
    kept = request.session.get(ANOTHER) or {}
    if kept.get("at") != request.get_full_path():
        return {}
    del request.session[ANOTHER]
    return {name: value for name, value in kept["values"].items() if value is not None}
