from django.urls import path

from . import views

urlpatterns = [path("<int:sheet_id>/readings/", views.readings, name="sheet_readings")]
