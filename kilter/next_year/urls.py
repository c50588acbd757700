"""Addresses of Next year."""

from django.urls import path

from kilter.next_year import views

app_name = "next_year"
urlpatterns = [
    path("", views.index, name="index"),
    path("crops/add", views.add_crop, name="add_crop"),
    path("crops/<int:pk>", views.crop, name="crop"),
    path("crops/<int:pk>/out", views.leave_out, name="leave_out"),
    path("decisions/<int:pk>", views.decided, name="decided"),
    path("held", views.held_against, name="held"),
    path("eaters/add", views.add_eater, name="add_eater"),
    path("eaters/<int:pk>", views.eater, name="eater"),
    path("eaters/<int:pk>/strike", views.strike_eater, name="strike_eater"),
]
