"""Addresses of letters and contacts."""

from django.urls import path

from rectaxis.post import views

app_name = "post"
urlpatterns = [
    path("forgot/", views.forgot, name="forgot"),
    path("people/<int:pk>/invite/", views.invite, name="invite"),
    path("letters/", views.letters, name="letters"),
    path("letters/<uuid:pk>/again/", views.again, name="again"),
    path("fleets/<uuid:pk>/contacts/", views.contacts, name="contacts"),
    path("fleets/<uuid:pk>/contacts/new/", views.new_contact, name="new-contact"),
    path("contacts/<uuid:pk>/", views.contact, name="contact"),
    path("reports/<uuid:pk>/send/", views.report, name="report"),
]
