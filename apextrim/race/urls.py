from django.urls import path

from . import live_views, odds_views, qualifying_views, spend_views, timing_views, views, wet_views

urlpatterns = [
    path("", views.bench, name="race_bench"),
    path("qualifying/", qualifying_views.qualifying, name="qualifying"),
    path("pairs/", views.leave_out, name="leave_out_pairs"),
    path("keep/", views.keep, name="keep_plan"),
    path("turns/", views.turns, name="race_turns"),
    path("wet/", wet_views.page, name="race_wet"),
    path("spend/", spend_views.page, name="race_spend"),
    path("odds/", odds_views.page, name="race_odds"),
    path("odds/turns/", odds_views.turns, name="odds_turns"),
    path("odds/field/", odds_views.save, name="save_field"),
    path("live/", live_views.begin, name="begin_race"),
    path("live/start/", live_views.start, name="start_race"),
    path("live/<int:race_id>/", live_views.page, name="live_race"),
    path("live/<int:race_id>/part/", live_views.part, name="live_race_part"),
    path("live/<int:race_id>/mark/", live_views.mark, name="mark_race"),
    path("live/<int:race_id>/marks/", live_views.entries, name="race_entries"),
    path("live/<int:race_id>/marks/<int:number>/", live_views.correct, name="correct_mark"),
    path("live/<int:race_id>/rivals/", timing_views.page, name="race_rivals"),
    path("live/<int:race_id>/rivals/part/", timing_views.part, name="race_rivals_part"),
    path("live/<int:race_id>/timing/", timing_views.connect, name="connect_timing"),
    path("live/<int:race_id>/undo/", live_views.undo, name="undo_mark"),
    path("live/<int:race_id>/end/", live_views.end, name="end_race"),
    path("live/<int:race_id>/after/", live_views.afterwards, name="race_after"),
    path("live/<int:race_id>/runs/", live_views.keep_runs, name="keep_race_runs"),
    path("<int:plan_id>/", views.kept, name="kept_plan"),
]
