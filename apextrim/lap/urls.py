from django.urls import path

from . import corner_views, views

urlpatterns = [
    path("", views.bench, name="lap_bench"),
    path("line/", views.find_line, name="find_line"),
    path("notes/", views.save_notes, name="save_notes"),
    path("card/", corner_views.card, name="lap_card"),
    path("costs/", corner_views.costs, name="lap_costs"),
    path("corner/<int:number>/", corner_views.corner, name="corner"),
    path("corner/<int:number>/line/", corner_views.ask_line, name="ask_line"),
]
