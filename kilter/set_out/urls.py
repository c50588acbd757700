"""Addresses of Set out."""

from django.urls import path

from kilter.set_out import views

app_name = "set_out"
urlpatterns = [
    path("", views.sheet, name="sheet"),
    path("new", views.new, name="new"),
    path("<int:pk>", views.planting, name="planting"),
    path("<int:pk>/finish", views.finish, name="finish"),
    path("<int:pk>/reopen", views.reopen, name="reopen"),
    path("<int:pk>/strike", views.strike_planting, name="strike"),
    path("<int:pk>/restore", views.restore_planting, name="restore"),
]
