"""Addresses of Set out."""

from django.urls import path, re_path

from kilter.set_out import views

app_name = "set_out"
urlpatterns = [
    path("", views.index, name="index"),
    path("new", views.new, name="new"),
    path("before", views.before, name="before"),
    path("<int:pk>/change", views.planting, name="planting"),
    path("<int:pk>/finish", views.finish, name="finish"),
    path("<int:pk>/reopen", views.reopen, name="reopen"),
    path("<int:pk>/year", views.say_year, name="say_year"),
    path("<int:pk>/count", views.count, name="count"),
    path("lots", views.lots, name="lots"),
    path("lots/new", views.lot, name="new_lot"),
    path("lots/<int:pk>", views.lot, name="lot"),
    path("crops/<int:pk>", views.crop, name="crop"),
    path("varieties/<int:pk>", views.variety, name="variety"),
    re_path(r"^(?P<of>planting|place)/(?P<pk>\d{1,18})/cost$", views.cost, name="cost"),
    re_path(
        r"^(?P<what>planting|count|lot|cost)/(?P<pk>\d{1,18})/strike$",
        views.strike_one,
        name="strike",
    ),
]
