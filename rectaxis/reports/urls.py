"""Addresses of reports and of the fleets they belong to."""

from django.urls import path

from rectaxis.reports import link_views, many_views, views

app_name = "reports"
urlpatterns = [
    path("fleets/", views.fleets, name="fleets"),
    path("fleets/<uuid:pk>/", views.fleet, name="fleet"),
    path("reports/", many_views.reports, name="reports"),
    path("reports/summary.xlsx", many_views.summary, name="summary"),
    path("reports/as-one/", many_views.ask, name="ask-batch"),
    path("reports/as-one/<uuid:pk>/", many_views.batch, name="batch"),
    path("reports/as-one/<uuid:pk>/file/", many_views.batch_file, name="batch-file"),
    path("reports/as-one/<uuid:pk>/cancel/", many_views.cancel, name="cancel-batch"),
    path("reports/<uuid:pk>/links/", link_views.links, name="links"),
    path("links/<uuid:pk>/revoke/", link_views.revoke, name="revoke-link"),
    path("shared/<str:secret>/", link_views.shared, name="shared"),
    path("shared/<str:secret>/report.pdf", link_views.shared_pdf, name="shared-pdf"),
    path("shared/<str:secret>/pictures/<str:digest>.jpg", link_views.shared_picture, name="shared-picture"),
    path("genuine/", views.genuine, name="ask-genuine"),
    path("genuine/<str:fingerprint>/", views.genuine, name="genuine"),
    path("reports/<uuid:pk>/", views.page, name="page"),
    path("reports/<uuid:pk>/logo.jpg", views.logo, name="logo"),
    path("reports/<uuid:pk>/report.pdf", views.pdf, name="pdf"),
    path("reports/<uuid:pk>/report.xlsx", views.written, {"ending": "xlsx"}, name="xlsx"),
    path("reports/<uuid:pk>/report.docx", views.written, {"ending": "docx"}, name="docx"),
    path("reports/<uuid:pk>/report.csv", views.written, {"ending": "csv"}, name="csv"),
    path("reports/<uuid:pk>/job.json", views.job_file, name="job-file"),
]
