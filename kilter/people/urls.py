"""Addresses of people."""

from django.urls import path

from kilter.people import views

app_name = "people"
urlpatterns = [
    path("sign-in", views.SignInView.as_view(), name="sign_in"),
    path("sign-up", views.sign_up, name="sign_up"),
    path("sign-out", views.sign_out, name="sign_out"),
    path("join/<str:token>", views.join, name="join"),
    path("bench/<str:token>", views.join_by_link, name="join_by_link"),
    path("household/bench-links", views.make_bench_link, name="make_bench_link"),
    path("household/bench-links/<int:pk>/end", views.end_bench_link, name="end_bench_link"),
    path("household", views.household, name="household"),
    path("household/invite", views.invite, name="invite"),
    path("household/members/<int:pk>/remove", views.remove_member, name="remove_member"),
    path("changes", views.changes, name="changes"),
    path("changes/<int:pk>/undo", views.undo, name="undo"),
]
