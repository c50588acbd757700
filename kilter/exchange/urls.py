"""Addresses of data in and out."""

from django.urls import path

from kilter.exchange import views

app_name = "exchange"
urlpatterns = [
    path("", views.index, name="index"),
    path("garden.zip", views.download, name="download"),
    path("loads/<str:key>", views.job, name="job"),
    path("loads/<str:key>/stop", views.stop, name="stop"),
]
