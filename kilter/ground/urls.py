"""Addresses of Ground."""

from django.urls import path

from kilter.ground import views

app_name = "ground"
urlpatterns = [
    path("", views.sheet, name="sheet"),
    path("sites/new", views.new_site, name="new_site"),
    path("sites/<int:pk>", views.site, name="site"),
    path("sites/<int:pk>/strike", views.strike_site, name="strike_site"),
    path("sites/<int:pk>/restore", views.restore_site, name="restore_site"),
    path("beds/new", views.new_bed, name="new_bed"),
    path("sets/new", views.new_set, name="new_set"),
    path("places/<int:pk>", views.place, name="place"),
    path("places/<int:pk>/strike", views.strike_place, name="strike_place"),
    path("places/<int:pk>/restore", views.restore_place, name="restore_place"),
]
