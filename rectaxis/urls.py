"""All addresses."""

from django.urls import include, path

urlpatterns = [
    path("", include("rectaxis.day.urls")),
    path("", include("rectaxis.stages.urls")),
    path("", include("rectaxis.people.urls")),
    path("", include("rectaxis.people.sign_in_urls")),
    path("", include("rectaxis.fleets.urls")),
    path("", include("rectaxis.specs.urls")),
    path("", include("rectaxis.kits.urls")),
    path("", include("rectaxis.devices.urls")),
    path("", include("rectaxis.business.urls")),
    path("", include("rectaxis.reports.urls")),
    path("", include("rectaxis.years.urls")),
    path("", include("rectaxis.post.urls")),
    path("", include("rectaxis.door.urls")),
    path("", include("rectaxis.rounds.urls")),
    path("", include("rectaxis.exchange.urls")),
]
handler400 = "rectaxis.common.views.bad_request"
handler403 = "rectaxis.common.views.forbidden"
handler404 = "rectaxis.common.views.not_found"
handler500 = "rectaxis.common.views.broken"
