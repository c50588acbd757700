"""Addresses of what happened and what was done."""

from django.urls import path, re_path

from kilter.tending import views

app_name = "tending"
urlpatterns = [
    path("", views.index, name="index"),
    path("new", views.new, name="new"),
    path("<int:pk>", views.happening, name="happening"),
    path("repeat", views.repeat, name="repeat"),
    path("do", views.do, name="do"),
    re_path(
        r"^(?P<of>planting|happening)/(?P<pk>\d{1,18})/photo$", views.add_photo, name="add_photo"
    ),
    path("photos/<int:pk>", views.photo, name="photo"),
    re_path(
        r"^(?P<what>happening|job|photo|repeat)/(?P<pk>\d{1,18})/strike$",
        views.strike_one,
        name="strike",
    ),
]
