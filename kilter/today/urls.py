"""Addresses of Today."""

from django.urls import path

from kilter.today import views

app_name = "today"
urlpatterns = [
    path("", views.index, name="index"),
    path("over", views.over, name="over"),
    path("closing", views.closing, name="closing"),
    path("worker.js", views.worker, name="worker"),
]
