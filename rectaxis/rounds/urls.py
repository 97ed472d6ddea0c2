"""Addresses of the technician's days."""

from django.urls import path

from rectaxis.rounds import thing_views, views

app_name = "rounds"
urlpatterns = [
    path("rounds/", views.week, name="week"),
    path("rounds/day/", views.day, name="day"),
    path("rounds/move/<path:key>/", views.move, name="move"),
    path("rounds/undo/", views.undo, name="undo"),
    path("rounds/give-up/<path:key>/", views.give_up, name="give-up"),
    path("rounds/plan/", views.plan, name="plan"),
    path("rounds/plans/<uuid:pk>/", views.run, name="run"),
    path("rounds/plans/<uuid:pk>/decide/", views.decide, name="decide"),
    path("rounds/to-tell/", views.to_tell, name="to-tell"),
    path("rounds/told/", views.told, name="told"),
    path("rounds/due/", thing_views.due, name="due"),
    path("rounds/want/", thing_views.want, name="want"),
    path("rounds/wants/<uuid:pk>/", thing_views.wish, name="wish"),
    path("rounds/wants/<uuid:pk>/aside/", thing_views.aside, name="aside"),
    path("rounds/places/", thing_views.places, name="places"),
    path("rounds/places/new/", thing_views.place, name="new-place"),
    path("rounds/places/<uuid:pk>/", thing_views.place, name="place"),
    path("rounds/ferries/new/", thing_views.ferry, name="new-ferry"),
    path("rounds/ferries/<uuid:pk>/", thing_views.ferry, name="ferry"),
    path("rounds/ferries/<uuid:pk>/sailing/", thing_views.sailing, name="sailing"),
    path("rounds/remove/<str:kind>/<uuid:pk>/", thing_views.remove, name="remove"),
    path("rounds/roads/", thing_views.roads, name="roads"),
    path("rounds/people/<int:pk>/", thing_views.crew, name="crew"),
    path("rounds/people/<uuid:pk>/away/", thing_views.away, name="away"),
    path("rounds/absences/<uuid:pk>/back/", thing_views.back, name="back"),
    path("rounds/people/<uuid:pk>/calendar/", views.calendar, name="calendar"),
    path("rounds/people/<uuid:pk>/address/", thing_views.address, name="address"),
    path("calendar/<str:secret>/visits.ics", views.feed, name="feed"),
]
