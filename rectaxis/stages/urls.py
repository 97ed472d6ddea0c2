"""Addresses of a visit."""

from django.urls import path

from rectaxis.stages.views import figures, live, paper, record, shots, sign, stages

app_name = "stages"
urlpatterns = [
    path("jobs/<uuid:pk>/", stages.job, name="job"),
    path("jobs/<uuid:pk>/entries/", stages.entries, name="entries"),
    path("jobs/<uuid:pk>/shots/", shots.shoot, name="shoot"),
    path("jobs/<uuid:pk>/look-on/", shots.look, name="look"),
    path("jobs/<uuid:pk>/shots/take-over/", shots.take_over, name="take-over"),
    path("jobs/<uuid:pk>/shots/<uuid:shot>/out/", shots.leave_out, name="leave-out"),
    path("jobs/<uuid:pk>/shots/<uuid:shot>/<slug:camera>.png", shots.picture, name="picture"),
    path("jobs/<uuid:pk>/scales/", stages.scales, name="scales"),
    path("jobs/<uuid:pk>/moves/", stages.moves, name="moves"),
    path("jobs/<uuid:pk>/moves/<uuid:move>/undo/", stages.undo, name="undo"),
    path("jobs/<uuid:pk>/moves/<uuid:move>/strike/", stages.strike, name="strike"),
    path("jobs/<uuid:pk>/lift/<slug:what>/", stages.lift, name="lift"),
    path("jobs/<uuid:pk>/go-by-check/", stages.go_by, name="go-by-check"),
    path("jobs/<uuid:pk>/confirm/", stages.confirm, name="confirm"),
    path("jobs/<uuid:pk>/seal/<slug:phase>/", stages.seal, name="seal"),
    path("jobs/<uuid:pk>/finish/", stages.finish, name="finish"),
    path("jobs/<uuid:pk>/devices/", live.devices, name="devices"),
    path("jobs/<uuid:pk>/sign/", sign.make, name="make-sign"),
    path("sign/", sign.enter, name="enter-sign"),
    path("sign/<str:token>/", sign.show, name="sign"),
    path("sign/<str:token>/feed/", sign.feed, name="sign-feed"),
    path("jobs/<uuid:pk>/figures/", figures.figures, name="figures"),
    path("jobs/<uuid:pk>/learned/", record.learned, name="learned"),
    path("jobs/<uuid:pk>/history/", record.history, name="history"),
    path("jobs/<uuid:pk>/correct/", record.correct, name="correct"),
    path("jobs/<uuid:pk>/hold/<slug:what>/", record.hold, name="hold"),
    path("jobs/<uuid:pk>/photos/", record.photos, name="photos"),
    path("jobs/<uuid:pk>/photos/list/", record.photo_list, name="photo-list"),
    path("jobs/<uuid:pk>/photos/<uuid:photo>.jpg", record.photo, name="photo"),
    path("jobs/<uuid:pk>/photos/<uuid:photo>/aside/", record.photo_aside, name="photo-aside"),
    path("jobs/<uuid:pk>/signature/", record.signature, name="signature"),
    path("jobs/<uuid:pk>/marks/", record.marks, name="marks"),
    path("jobs/<uuid:pk>/marks/<uuid:mark>/aside/", record.mark_aside, name="mark-aside"),
    path("jobs/<uuid:pk>/worksheet/", paper.worksheet, name="worksheet"),
    path("jobs/<uuid:pk>/worksheet.pdf", paper.worksheet_pdf, name="worksheet-pdf"),
    path("jobs/<uuid:pk>/quick/", paper.quick, name="quick"),
    path("jobs/<uuid:pk>/<slug:stage>/", stages.stage, name="stage"),
    path("jobs/<uuid:pk>/<slug:stage>/live/", stages.live, name="live"),
    path("jobs/<uuid:pk>/<slug:stage>/next/", stages.what_next, name="next"),
]
