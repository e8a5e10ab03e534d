"""Addresses of diagrams."""

from django.urls import path

from indexa.diagrams import map_views, views

app_name = "diagrams"
urlpatterns = [
    path("models/<int:pk>/diagrams/", views.diagram_list, name="list"),
    path("models/<int:pk>/diagrams/suggested/", views.suggested, name="suggested"),
    path("models/<int:pk>/diagrams/new/", views.create, name="new"),
    path("models/<int:pk>/map/", map_views.page, name="map"),
    path("models/<int:pk>/map/content/", map_views.content, name="map-content"),
    path("models/<int:pk>/map/areas/<int:number>/", map_views.area_margin, name="map-area"),
    path("models/<int:pk>/map/tables/<int:table_pk>/", map_views.table_margin, name="map-table"),
    path("diagrams/<int:pk>/", views.page, name="page"),
    path("diagrams/<int:pk>/content/", views.content, name="content"),
    path("diagrams/<int:pk>/margin/", views.list_margin, name="list-margin"),
    path("diagrams/<int:pk>/move/", views.move, name="move"),
    path("diagrams/<int:pk>/add/", views.add, name="add"),
    path("diagrams/<int:pk>/remove/", views.remove, name="remove"),
    path("diagrams/<int:pk>/arrange/", views.arrange, name="arrange"),
    path("diagrams/<int:pk>/view/", views.set_view, name="view"),
    path("diagrams/<int:pk>/delete/", views.delete, name="delete"),
    path("diagrams/<int:pk>/tables/", views.find_tables, name="tables"),
    path("diagrams/<int:pk>/tables/<int:table_pk>/", views.card_margin, name="card"),
    path("diagrams/<int:pk>/tables/<int:table_pk>/card/", views.set_card, name="set-card"),
    path("diagrams/<int:pk>/lines/<int:relationship_pk>/", views.line, name="line"),
    path("diagrams/<int:pk>/notes/", views.new_note, name="new-note"),
    path("diagrams/<int:pk>/notes/<int:note_pk>/", views.note, name="note"),
    path("diagrams/<int:pk>/notes/<int:note_pk>/delete/", views.delete_note, name="delete-note"),
    path("tables/<int:table_pk>/around/", views.around, name="around"),
    path("diagrams/<int:pk>/diagram.<str:form>", views.export, name="export"),
]
