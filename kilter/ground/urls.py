"""Addresses of what is written in Ground."""

from django.urls import path, re_path

from kilter.ground import views

app_name = "ground"
urlpatterns = [
    path("sites/new", views.new_site, name="new_site"),
    path("sites/<int:pk>", views.site, name="site"),
    path("beds/new", views.new_bed, name="new_bed"),
    path("sets/new", views.new_set, name="new_set"),
    path("called", views.called, name="called"),
    path("places/<int:pk>/change", views.place, name="place"),
    path("places/<int:pk>/spot", views.spot, name="spot"),
    path("places/<int:pk>/move", views.move, name="move"),
    path("places/<int:pk>/parts/new", views.new_part, name="new_part"),
    path("places/<int:pk>/divide", views.divide, name="divide"),
    path("places/<int:pk>/fill", views.fill, name="fill"),
    path("parts/<int:pk>", views.part, name="part"),
    path("mixes/new", views.mix, name="new_mix"),
    path("mixes/<int:pk>", views.mix, name="mix"),
    re_path(
        r"^(?P<what>site|place|part|fill|mix)/(?P<pk>\d{1,18})/strike$",
        views.strike_one,
        name="strike",
    ),
]
