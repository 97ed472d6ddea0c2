"""Addresses of the fleet's own door."""

from django.urls import path

from rectaxis.door import views

app_name = "door"
urlpatterns = [
    path("fleets/<uuid:pk>/vehicles/", views.fleet, name="fleet"),
    path("fleets/<uuid:pk>/due.ics", views.calendar, name="calendar"),
    path("fleets/<uuid:pk>/ask/", views.ask, name="ask"),
    path("reports/<uuid:pk>/advice/<int:place>/", views.advice, name="advice"),
    path("reports/<uuid:pk>/questions/", views.report_questions, name="report-questions"),
    path("reports/<uuid:pk>/questions/ask/", views.question, name="question"),
    path("asked/", views.waiting, name="waiting"),
    path("asked/<uuid:pk>/settle/", views.settle, name="settle"),
    path("asked/questions/<uuid:pk>/answer/", views.answer, name="answer"),
]
