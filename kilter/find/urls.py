"""Addresses of Find."""

from django.urls import path

from kilter.find import views

app_name = "find"
urlpatterns = [path("", views.index, name="index")]
