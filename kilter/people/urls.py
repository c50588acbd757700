"""Addresses of people."""

from django.urls import path

from kilter.people import accounts, views

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
    path("account", accounts.account, name="account"),
    path("server/day", accounts.trust_day, name="trust_day"),
    path("account/sign-ins/<int:pk>/end", accounts.end_sign_in, name="end_sign_in"),
    path("account/sign-out-everywhere", accounts.sign_out_everywhere, name="sign_out_everywhere"),
    path("account/mail", accounts.mail, name="mail"),
    path("account/delete", accounts.delete_account, name="delete_account"),
    path("household/delete", accounts.delete_household, name="delete_household"),
    path("forgotten", accounts.forgotten, name="forgotten"),
    path("account/leave", accounts.leave, name="leave"),
    path("password/<str:key>/<str:token>", accounts.set_password, name="set_password"),
    path("household/members/<int:pk>/role", accounts.change_role, name="change_role"),
    path(
        "household/members/<int:pk>/password-link",
        accounts.make_password_link,
        name="make_password_link",
    ),
    path("household/invites/<int:pk>/withdraw", accounts.withdraw_invite, name="withdraw_invite"),
    path("changes", views.changes, name="changes"),
    path("changes/<int:pk>/undo", views.undo, name="undo"),
]
