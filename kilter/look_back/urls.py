"""Addresses of Look back."""

from django.urls import path, re_path

from kilter.look_back import record_views, views

app_name = "look_back"
urlpatterns = [
    path("", views.index, name="index"),
    path("crops/<int:pk>", views.crop, name="crop"),
    path("booklet", views.booklet, name="booklet"),
    path("setbacks", views.setbacks, name="setbacks"),
    path("places", views.places, name="places"),
    path("decisions", views.all_decisions, name="decisions"),
    path("remark", record_views.remark, name="remark"),
    path("remarks/new", record_views.own_remark, name="new_remark"),
    path("remarks/<int:pk>", record_views.own_remark, name="own_remark"),
    path("note", record_views.note, name="note"),
    path("finish", record_views.finish, name="finish"),
    path("reopen/<int:pk>", record_views.reopen, name="reopen"),
    path("decisions/new", record_views.decision, name="new_decision"),
    path("decisions/<int:pk>", record_views.decision, name="decision"),
    path("decisions/<int:pk>/aside", record_views.aside, name="aside"),
    path("sitting", record_views.sit, name="sitting"),
    re_path(
        r"^(?P<what>remark|decision)/(?P<pk>\d{1,18})/strike$",
        record_views.strike_one,
        name="strike",
    ),
]
