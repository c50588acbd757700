"""Addresses of Weigh up."""

from django.urls import path

from kilter.weigh_up import views

app_name = "weigh_up"
urlpatterns = [path("", views.sheet, name="sheet")]
