"""Addresses of Weigh in."""

from django.urls import path

from kilter.weigh_in import views

app_name = "weigh_in"
urlpatterns = [
    path("", views.bench, name="bench"),
    path("events", views.store_events, name="events"),
    path("write", views.write, name="write"),
    path("read", views.read, name="read"),
    path("finish/<int:pk>", views.finish, name="finish"),
    path("lines/<int:pk>/strike", views.strike, name="strike"),
    path("lines/<int:pk>/photo", views.photo, name="photo"),
]
