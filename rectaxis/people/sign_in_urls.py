"""Addresses of signing in, under the names by which allauth leads to them."""

from allauth.account.views import reauthenticate
from django.urls import include, path

from rectaxis.people import views

urlpatterns = [
    path("sign-in/", views.SignIn.as_view(), name="account_login"),
    path("sign-in/again/", reauthenticate, name="account_reauthenticate"),
    path("second-factor/", include("allauth.mfa.urls")),
]
