"""Addresses of Weigh in."""

from django.urls import path, re_path

from kilter.weigh_in import by_person_views, in_list, late_views, line_views, scale_views, views

app_name = "weigh_in"
KIT = r"(?P<what>scale|bowl|measure|size)"
urlpatterns = [
    path("", views.bench, name="bench"),
    path("events", views.store_events, name="events"),
    path("token", views.token, name="token"),
    path("worker.js", views.worker, name="worker"),
    path("bench.webmanifest", views.manifest, name="manifest"),
    path("write", views.write, name="write"),
    path("read", views.read, name="read"),
    path("round", views.picking, name="round"),
    path("finish/<int:pk>", views.finish, name="finish"),
    path("finish/<int:pk>/many", views.finish_many, name="finish_many"),
    path("scale/live", scale_views.live, name="live"),
    path("scale/zero", scale_views.zero, name="zero"),
    path("scale", scale_views.hand, name="hand"),
    path("by-person", by_person_views.index, name="by_person"),
    path("late", late_views.index, name="late"),
    path("late/send", late_views.send, name="late_send"),
    path("late/all", late_views.settle_all, name="late_all"),
    path("late/<int:pk>", late_views.settle, name="late_one"),
    path("lines", line_views.lines, name="lines"),
    path("lines/edit", in_list.correct_list, name="correct_list"),
    path("lines/<int:pk>", line_views.correct, name="correct"),
    path("lines/<int:pk>/strike", views.strike, name="strike"),
    path("lines/<int:pk>/photo", line_views.photo, name="photo"),
    path("lines/<int:pk>/weigh", line_views.weigh, name="weigh"),
    path("lines/<int:pk>/counted", line_views.leave_counted, name="leave_counted"),
    path("lines/<int:pk>/turn", line_views.turn, name="turn"),
    path("waiting", line_views.waiting, name="waiting"),
    path("waiting/counted", line_views.leave_all_counted, name="leave_all_counted"),
    path("waiting/together", line_views.together, name="together"),
    path("waiting/labels", line_views.labels, name="labels"),
    path("shelf", line_views.shelf, name="shelf"),
    path("remember", line_views.remember, name="remember"),
    path("basket", line_views.basket, name="basket"),
    path("tare", line_views.tare_after, name="tare_after"),
    path("plantings/<int:pk>/rename", line_views.rename, name="rename"),
    path("plantings/<int:pk>/single", line_views.single, name="single"),
    path("singles/<int:pk>/strike", line_views.strike_single, name="strike_single"),
    path("kit", line_views.kit, name="kit"),
    re_path(rf"^kit/{KIT}/new$", line_views.kit_one, name="kit_new"),
    re_path(rf"^kit/{KIT}/(?P<pk>\d{{1,18}})$", line_views.kit_one, name="kit_one"),
    re_path(rf"^kit/{KIT}/(?P<pk>\d{{1,18}})/strike$", line_views.kit_strike, name="kit_strike"),
    path("kit/crops/<int:pk>/counted", line_views.counted, name="counted"),
]
