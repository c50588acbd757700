"""Addresses of Weigh up."""

from django.urls import path, re_path

from kilter.weigh_up import land_views, trial_views, variety_views, views

app_name = "weigh_up"
urlpatterns = [
    path("", views.sheet, name="sheet"),
    path("difference", views.difference, name="difference"),
    path("units.csv", views.units, name="units"),
    re_path(r"^(?P<name>balance|steelyard|blocks|lines)\.(?P<kind>svg|png)$", views.picture, name="picture"),
    path("report", views.report, name="report"),
    path("kept", views.kept, name="kept"),
    path("keep", views.keep, name="keep"),
    path("kept/<int:pk>", views.kept_one, name="kept_one"),
    path("kept/<int:pk>/strike", views.strike_kept, name="strike_kept"),
    path("crowding", land_views.crowding, name="crowding"),
    path("sharing", land_views.sharing, name="sharing"),
    path("varieties", variety_views.ranked, name="ranking"),
    path("varieties/<int:pk>/scores", variety_views.scores, name="scores"),
    path("varieties/<int:pk>/verdict", variety_views.verdict, name="verdict"),
    path("criteria/new", variety_views.criterion, name="new_criterion"),
    path("criteria/<int:pk>", variety_views.criterion, name="criterion"),
    re_path(r"^(?P<what>score|verdict|criterion)/(?P<pk>\d{1,18})/strike$", variety_views.strike_one, name="strike"),
    path("trials", trial_views.listed, name="trials"),
    path("trials/new", trial_views.new, name="new_trial"),
    path("trials/<int:pk>", trial_views.trial, name="trial"),
    path("trials/<int:pk>/sheet", trial_views.sheet, name="trial_sheet"),
    path("trials/<int:pk>/draw", trial_views.draw, name="trial_draw"),
    path("trials/<int:pk>/plant", trial_views.plant, name="trial_plant"),
    path("trials/<int:pk>/show", trial_views.show, name="trial_show"),
    path("trials/<int:pk>/strike", trial_views.take_out, name="trial_strike"),
]
