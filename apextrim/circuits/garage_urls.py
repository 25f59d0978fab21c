from django.urls import path

from . import edit_views

urlpatterns = [
    path("new/", edit_views.new, name="new_circuit"),
    path("<int:circuit_id>/", edit_views.edit, name="edit_circuit"),
    path("<int:circuit_id>/undo/", edit_views.undo, name="undo_circuit"),
]
