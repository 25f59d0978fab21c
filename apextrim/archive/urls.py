from django.urls import path

from . import again_views, views

urlpatterns = [
    path("sample/", views.copy_sample, name="copy_sample"),
    path("bring-in/", views.bring_in, name="bring_in_event"),
    path("<int:event_id>/next/", again_views.next_event, name="next_event"),
    path("<int:event_id>/file/", views.take_out, name="take_out_event"),
    path("<int:event_id>/rows/", views.take_rows, name="event_rows"),
]
