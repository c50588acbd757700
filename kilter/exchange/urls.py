"""Addresses of data in and out."""

from django.urls import path

from kilter.exchange import views
from kilter.exchange.bring import views as bring

app_name = "exchange"
urlpatterns = [
    path("", views.index, name="index"),
    path("garden.zip", views.download, name="download"),
    path("season-<int:year>.xlsx", views.season, name="season"),
    path("table", bring.index, name="bring"),
    path("table/<int:pk>", bring.table, name="table"),
    path("table/<int:pk>/write", bring.write, name="write_table"),
    path("table/<int:pk>/drop", bring.drop, name="drop_table"),
    path("table/<int:pk>/left.csv", bring.left, name="table_left"),
    path("loads/<str:key>", views.job, name="job"),
    path("loads/<str:key>/stop", views.stop, name="stop"),
]
