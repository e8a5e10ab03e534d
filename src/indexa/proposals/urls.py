"""Addresses of the proposals of a model."""

from django.urls import path

from indexa.proposals import views

app_name = "proposals"
urlpatterns = [
    path("models/<int:pk>/proposals/", views.page, name="page"),
    path("models/<int:pk>/proposals/look/", views.look, name="look"),
    path("models/<int:pk>/proposals/decide/", views.decide_many, name="decide-many"),
    path("models/<int:pk>/proposals/<int:proposal_pk>/", views.margin, name="margin"),
    path("models/<int:pk>/proposals/<int:proposal_pk>/decide/", views.decide, name="decide"),
    path("models/<int:pk>/proposals/<int:proposal_pk>/diagram/", views.on_diagram, name="on-diagram"),
    path(
        "models/<int:pk>/proposals/<int:proposal_pk>/diagram/decide/", views.decide_on_diagram, name="decide-on-diagram"
    ),
]
