"""Addresses of the maps, places and plantings."""

from django.urls import path

from kilter.atlas import views

app_name = "atlas"
urlpatterns = [
    path("ground/", views.index, name="index"),
    path("ground/places/<int:pk>", views.place, name="place"),
    path("set-out/<int:pk>", views.planting, name="planting"),
]
