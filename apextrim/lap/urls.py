from django.urls import path

from . import book_views, card_views, corner_views, costs_views, energy_views, summary_views, trainer_views, views

urlpatterns = [
    path("", views.bench, name="lap_bench"),
    path("line/", views.find_line, name="find_line"),
    path("notes/", views.save_notes, name="save_notes"),
    path("card/", card_views.card, name="lap_card"),
    path("lines/", costs_views.ask_all_lines, name="ask_all_lines"),
    path("costs/keep/", book_views.keep_saving, name="keep_saving"),
    path("costs/", costs_views.costs, name="lap_costs"),
    path("corner/<int:number>/", corner_views.corner, name="corner"),
    path("corner/<int:number>/line/", corner_views.ask_line, name="ask_line"),
    path("corner/<int:number>/draw/", corner_views.draw, name="draw_line"),
    path("corner/<int:number>/book/", book_views.save, name="save_book"),
    path("corner/<int:number>/keep/", book_views.keep_choice, name="keep_choice"),
    path("corner/<int:number>/card/", card_views.corner_card, name="corner_card"),
    path("book/", book_views.book, name="lap_book"),
    path("book/carry/", book_views.carry, name="carry_book"),
    path("book/export/", book_views.export, name="export_book"),
    path("book/import/", book_views.bring_in, name="import_book"),
    path("book/undo/", book_views.undo, name="undo_book"),
    path("trainer/", trainer_views.page, name="trainer"),
    path("trainer/felt/", trainer_views.felt, name="trainer_felt"),
    path("trainer/read/", trainer_views.read, name="trainer_read"),
    path("trainer/drive/", trainer_views.drive, name="trainer_drive"),
    path("trainer/back/", trainer_views.back, name="trainer_back"),
    path("trainer/anew/", trainer_views.anew, name="trainer_anew"),
    path("energy/", energy_views.page, name="lap_energy"),
    path("summary/", summary_views.summary, name="lap_summary"),
]
