from django.urls import path

from yuplet_server.handovers import views

urlpatterns = [
    path("illustrations/<int:illustration>/plan", views.PlanView.as_view()),
    path("projects/<int:project>/recipes", views.RecipesView.as_view()),
    path("illustrations/<int:illustration>/in-step", views.WatchedSourceView.as_view()),
    path("roots", views.RootsView.as_view()),
    path("recipes/<int:recipe>", views.RecipeView.as_view()),
    path("illustrations/<int:illustration>/plan/image", views.PlannedImageView.as_view()),
    path("illustrations/<int:illustration>/hand-overs", views.HandOversView.as_view()),
    path("projects/<int:project>/hand-overs/candidates", views.CandidatesView.as_view()),
    path("projects/<int:project>/hand-overs", views.ProjectHandOversView.as_view()),
    path("project-hand-overs/<int:hand_over>/package", views.ProjectPackageView.as_view()),
    path("hand-overs/<int:hand_over>/package", views.PackageView.as_view()),
]
