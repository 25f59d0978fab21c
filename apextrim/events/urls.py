from django.urls import path

from . import class_views, item_views, views

urlpatterns = [
    path("", views.events, name="events"),
    path("going-on/", views.going_on, name="going_on"),
    path("<int:event_id>/", views.brief, name="brief"),
    path("<int:event_id>/thread/", views.whole_thread, name="thread"),
    path("<int:event_id>/conditions/", views.save_conditions, name="save_conditions"),
    path("<int:event_id>/rules/", views.save_rules, name="save_rules"),
    path("<int:event_id>/items/", item_views.item_rules, name="item_rules"),
    path("<int:event_id>/class/", class_views.class_limits, name="class_limits"),
    path("<int:event_id>/now/", views.save_now, name="save_now"),
    path("<int:event_id>/sessions/", views.save_session, name="save_session"),
    path("<int:event_id>/sessions/<int:session_id>/", views.change_session, name="change_session"),
]
