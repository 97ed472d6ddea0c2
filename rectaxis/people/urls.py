"""Addresses of signing in and preferences."""

from django.urls import path

from rectaxis.people import views

app_name = "people"
urlpatterns = [
    path("sign-out/", views.SignOut.as_view(), name="sign-out"),
    path("first/", views.first, name="first"),
    path("people/", views.people, name="people"),
    path("people/new/", views.new, name="new"),
    path("people/<int:pk>/", views.edit, name="edit"),
    path("people/<int:pk>/sign-out/", views.sign_out_everywhere, name="sign-out-everywhere"),
    path("people/<int:pk>/second-factor/", views.take_second_factor, name="take-second-factor"),
    path("set-password/<uidb64>/<token>/", views.SetPassword.as_view(), name="set-password"),
    path("preferences/password/", views.OwnPassword.as_view(), name="password"),
    path("preferences/", views.preferences, name="preferences"),
]
