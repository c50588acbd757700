"""Addresses of the weather."""

from django.urls import path

from kilter.weather import views

app_name = "weather"
urlpatterns = [
    path("<int:pk>", views.site, name="site"),
    path("<int:pk>/read", views.read, name="read"),
    path("<int:pk>/bring", views.bring, name="bring"),
]
