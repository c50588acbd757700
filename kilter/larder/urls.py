"""Addresses of Larder."""

from django.urls import path

from kilter.larder import record_views, views

app_name = "larder"
urlpatterns = [
    path("", views.index, name="index"),
    path("put-by", views.put_by, name="put_by"),
    path("use", views.use, name="use"),
    path("events", views.store_events, name="events"),
    path("worker.js", views.worker, name="worker"),
    path("crates/<int:pk>", views.crate, name="crate"),
    path("crates/<int:pk>/change", views.change_crate, name="change_crate"),
    path("crates/<int:pk>/cured", views.cured, name="cured"),
    path("usings/<int:pk>/strike", views.strike_using, name="strike_using"),
    path("put-by/<int:pk>/strike", views.strike_put, name="strike_put"),
    path("look/<int:pk>", views.look, name="look"),
    path("stores", record_views.stores, name="stores"),
    path("crops/<int:pk>", record_views.crop, name="crop"),
    path("weeks", record_views.weeks, name="weeks"),
    path("weeks/bulk", record_views.bulk, name="bulk"),
    path("account", record_views.money, name="account"),
    *record_views.RECORDS.urls,
]
