from django.urls import path, re_path

from yuplet_server.illustrations import views

urlpatterns = [
    path("projects/<int:project>/illustrations", views.IllustrationsView.as_view()),
    path("illustrations/<int:illustration>", views.IllustrationView.as_view()),
    path("illustrations/<int:illustration>/pack", views.PackView.as_view()),
    re_path(r"^illustrations/(?P<illustration>\d+)/images/(?P<digest>[0-9a-f]{64})$", views.ImageView.as_view()),
    path("illustrations/<int:illustration>/original", views.OriginalView.as_view()),
    path("illustrations/<int:illustration>/read-again", views.ReadAgainView.as_view()),
    path("illustrations/<int:illustration>/sheet", views.SheetView.as_view()),
    path("illustrations/<int:illustration>/revisions", views.RevisionsView.as_view()),
    path("illustrations/<int:illustration>/revisions/<int:revision>/original", views.OriginalView.as_view()),
    path(
        "illustrations/<int:illustration>/revisions/<int:revision>/layers/<str:layer>/drawn", views.DrawnView.as_view()
    ),
    path("illustrations/<int:illustration>/restore", views.RestoreIllustrationView.as_view()),
    path("illustrations/<int:illustration>/try-again", views.TryAgainView.as_view()),
    path("bin", views.BinView.as_view()),
    path("licences", views.LicencesView.as_view()),
]
