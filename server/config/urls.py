"""Addresses: the API under /api/, the sign-in page, and the application everywhere else."""

from django.contrib.auth.views import LoginView, LogoutView
from django.urls import path, re_path

from server.api.api import api
from server.projects.page import application

urlpatterns = [
    path("api/", api.urls),
    path("sign-in/", LoginView.as_view(template_name="sign-in.html", redirect_authenticated_user=True), name="sign-in"),
    path("sign-out/", LogoutView.as_view(), name="sign-out"),
    re_path(r"^(?!static/|api/).*$", application, name="application"),
]
