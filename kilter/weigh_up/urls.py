"""Addresses of Weigh up."""

from django.urls import path, re_path

from kilter.weigh_up.answer import views as answers
from kilter.weigh_up.land import views as land
from kilter.weigh_up.question import views as questions
from kilter.weigh_up.trials import views as trials
from kilter.weigh_up.varieties import views as varieties

app_name = "weigh_up"
urlpatterns = [
    path("", answers.index, name="index"),
    path("difference", answers.difference, name="difference"),
    path("units.csv", answers.units, name="units"),
    re_path(
        r"^(?P<name>balance|steelyard|blocks|lines)\.(?P<kind>svg|png)$",
        answers.picture,
        name="picture",
    ),
    path("report", answers.report, name="report"),
    path("saved", questions.saved, name="saved"),
    path("save", questions.save, name="save"),
    path("saved/<int:pk>", questions.saved_one, name="saved_one"),
    path("saved/<int:pk>/strike", questions.strike_saved, name="strike_saved"),
    path("crowding", land.crowding, name="crowding"),
    path("sharing", land.sharing, name="sharing"),
    path("varieties", varieties.ranked, name="ranking"),
    path("varieties/<int:pk>/scores", varieties.scores, name="scores"),
    path("varieties/<int:pk>/verdict", varieties.verdict, name="verdict"),
    *varieties.RECORDS.urls,
    path("trials", trials.listed, name="trials"),
    path("trials/afterwards", trials.afterwards, name="afterwards"),
    path("trials/new", trials.new, name="new_trial"),
    path("trials/<int:pk>", trials.trial, name="trial"),
    path("trials/<int:pk>/sheet", trials.sheet, name="trial_sheet"),
    path("trials/<int:pk>/draw", trials.draw, name="trial_draw"),
    path("trials/<int:pk>/plant", trials.plant, name="trial_plant"),
    path("trials/<int:pk>/show", trials.show, name="trial_show"),
    path("trials/<int:pk>/strike", trials.take_out, name="trial_strike"),
]
