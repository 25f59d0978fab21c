from django.urls import path

from . import views

urlpatterns = [
    path("", views.bench, name="lap_bench"),
    path("line/", views.find_line, name="find_line"),
    path("notes/", views.save_notes, name="save_notes"),
]
