"""Addresses of Next year."""

from django.urls import path

from kilter.next_year import plan_views, sheet_views, views
from kilter.next_year.fit import views as fit_views

app_name = "next_year"
urlpatterns = [
    path("", views.index, name="index"),
    path("crops/add", views.add_crop, name="add_crop"),
    path("crops/<int:pk>", views.crop, name="crop"),
    path("crops/<int:pk>/sure", views.sure, name="sure"),
    path("crops/<int:pk>/out", views.leave_out, name="leave_out"),
    path("decisions/<int:pk>", views.decided, name="decided"),
    path("crops/<int:pk>/splitting", fit_views.splitting, name="splitting"),
    path("held", views.held_against, name="held"),
    path("eaters/add", views.add_eater, name="add_eater"),
    path("eaters/<int:pk>", views.eater, name="eater"),
    path("eaters/<int:pk>/strike", views.strike_eater, name="strike_eater"),
    path("plans", plan_views.plans, name="plans"),
    path("plans/copy", plan_views.copy_plan, name="copy_plan"),
    path("plans/<int:pk>", plan_views.plan, name="plan"),
    path("plans/<int:pk>/choose", plan_views.choose_plan, name="choose_plan"),
    path("plans/<int:pk>/freeze", plan_views.freeze, name="freeze"),
    path("plans/<int:pk>/strike", plan_views.strike_plan, name="strike_plan"),
    path("wishes/add", plan_views.wish, name="wish"),
    path("wishes/<int:pk>/take", plan_views.take_wish, name="take_wish"),
    path("wishes/<int:pk>/strike", plan_views.strike_wish, name="strike_wish"),
    path("shelves/add", plan_views.shelf, name="add_shelf"),
    path("shelves/<int:pk>", plan_views.shelf, name="shelf"),
    path("shelves/<int:pk>/strike", plan_views.strike_shelf, name="strike_shelf"),
    path("calendar", sheet_views.calendar, name="calendar"),
    path("calendar.ics", sheet_views.calendar_ics, name="calendar_ics"),
    path("calendar.csv", sheet_views.calendar_csv, name="calendar_csv"),
    path("shopping", sheet_views.shopping, name="shopping"),
    path("shopping.csv", sheet_views.shopping_csv, name="shopping_csv"),
    path("trays", sheet_views.trays, name="trays"),
    path("trays.csv", sheet_views.trays_csv, name="trays_csv"),
    path("sheet", sheet_views.sheet, name="sheet"),
    path("fit", fit_views.fit, name="fit"),
    path("fit/start", fit_views.start_fit, name="start_fit"),
    path("fit/stop", fit_views.stop_fit, name="stop_fit"),
    path("fit/take", fit_views.take_fit, name="take_fit"),
    path("fit/week", fit_views.fit_week, name="fit_week"),
    path("fit/more", fit_views.fit_more, name="fit_more"),
    path("planned", fit_views.planned, name="planned"),
    path("planned/<int:pk>", fit_views.planned_planting, name="planned_planting"),
    path("planned/<int:pk>/shift", fit_views.shift_planned, name="shift_planned"),
    path("planned/<int:pk>/loosen", fit_views.loosen_planned, name="loosen_planned"),
    path("planned/<int:pk>/strike", fit_views.strike_planned, name="strike_planned"),
    path("spots/add", fit_views.spot, name="add_spot"),
    path("spots/<int:pk>/strike", fit_views.strike_spot, name="strike_spot"),
]
