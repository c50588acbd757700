"""All addresses."""

from django.urls import include, path

from kilter.site import views

urlpatterns = [
    # the bench first: a line is written every few seconds, and each address before it is tried in
    # vain
    path("weigh-in/", include("kilter.weigh_in.urls")),
    path("healthz", views.health, name="health"),
    path("", include("kilter.today.urls")),
    path("", include("kilter.atlas.urls")),
    path("ground/", include("kilter.ground.urls")),
    path("weather/", include("kilter.weather.urls")),
    path("happenings/", include("kilter.tending.urls")),
    path("set-out/", include("kilter.set_out.urls")),
    path("weigh-up/", include("kilter.weigh_up.urls")),
    path("larder/", include("kilter.larder.urls")),
    path("look-back/", include("kilter.look_back.urls")),
    path("next-year/", include("kilter.next_year.urls")),
    path("data/", include("kilter.exchange.urls")),
    path("find/", include("kilter.find.urls")),
    path("no-connection", views.no_connection, name="no_connection"),
    path("look", views.look, name="look"),
    path("walk", views.walk, name="walk"),
    path("", include("kilter.people.urls")),
]
handler400 = "kilter.site.views.bad_request"
handler403 = "kilter.site.views.refused"
handler404 = "kilter.site.views.not_found"
handler500 = "kilter.site.views.failed"
