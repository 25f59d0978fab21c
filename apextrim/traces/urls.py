from django.urls import path

from . import views

urlpatterns = [
    path("", views.page, name="traces"),
    path("data/", views.data, name="traces_data"),
]
