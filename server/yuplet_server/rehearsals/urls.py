from django.urls import path, re_path

from yuplet_server.rehearsals import views

urlpatterns = [
    path("illustrations/<int:illustration>/rehearsals", views.RehearsalsView.as_view()),
    path("illustrations/<int:illustration>/rehearsals/outside", views.OutsideView.as_view()),
    path("rehearsals/<int:rehearsal>", views.RehearsalView.as_view()),
    path("rehearsals/<int:rehearsal>/missing", views.MissingView.as_view()),
    path("rehearsals/<int:rehearsal>/changes", views.ChangesView.as_view()),
    path("rehearsals/<int:rehearsal>/screens", views.ScreensView.as_view()),
    path("rehearsals/<int:rehearsal>/motion", views.MotionView.as_view()),
    path("rehearsals/<int:rehearsal>/motion/steps", views.MotionStepsView.as_view()),
    path("rehearsals/<int:rehearsal>/motion/undo", views.UndoMotionView.as_view()),
    path("rehearsals/<int:rehearsal>/motion/redo", views.RedoMotionView.as_view()),
    path("rehearsals/<int:rehearsal>/motion/keep", views.KeepMotionView.as_view()),
    path("rehearsals/<int:rehearsal>/motion/shelf/<int:kept>/fit", views.FitMotionView.as_view()),
    path("rehearsals/<int:rehearsal>/motion/shelf/<int:kept>/lay", views.LayMotionView.as_view()),
    path("rehearsals/<int:rehearsal>/motion/samples", views.MotionSamplesView.as_view()),
    path("rehearsals/<int:rehearsal>/films", views.FilmsView.as_view()),
    path("films/<int:film>", views.FilmView.as_view()),
    path("films/<int:film>/file", views.FilmFileView.as_view()),
    path("rehearsals/<int:rehearsal>/package", views.LinedUpPackageView.as_view()),
    re_path(
        r"^rehearsals/(?P<rehearsal>\d+)/pictures/(?P<name>together|reference|difference|image-\d{1,5})/(?P<digest>[0-9a-f]{64})$",
        views.RehearsalPictureView.as_view(),
    ),
]
