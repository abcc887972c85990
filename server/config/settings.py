"""Settings. Everything that a place may want to change is an environment variable beginning with LIMUS_."""

from __future__ import annotations

import os
import secrets
from pathlib import Path

from limus.formats.files import write_whole
from limus.store import memory_budget

BASE_DIR = Path(__file__).resolve().parents[2]
#: Database, uploads, readings and deliveries live here.
DATA_DIR = Path(os.environ.get("LIMUS_DATA", BASE_DIR / "var"))
DATA_DIR.mkdir(parents=True, exist_ok=True)
os.environ.setdefault("LIMUS_CACHE", str(DATA_DIR / "readings"))


def _secret() -> str:
    """A key of this installation's own, made at the first start."""
    path = DATA_DIR / "secret-key"
    if not path.exists():
        write_whole(path, secrets.token_urlsafe(50).encode())
        path.chmod(0o600)
    return path.read_text()


SECRET_KEY = os.environ.get("LIMUS_SECRET_KEY") or _secret()
DEBUG = os.environ.get("LIMUS_DEBUG") == "1"
#: The address the server listens on. Only on loopback does the demo user sign in by itself.
BIND = os.environ.get("LIMUS_BIND", "127.0.0.1")
DEMO_SIGN_IN = os.environ.get("LIMUS_DEMO") == "1" and BIND in ("127.0.0.1", "::1", "localhost")
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]", *filter(None, os.environ.get("LIMUS_HOSTS", "").split(","))]
CSRF_TRUSTED_ORIGINS = list(filter(None, os.environ.get("LIMUS_ORIGINS", "").split(",")))

#: Largest upload in bytes and most triangles of one object.
UPLOAD_LIMIT = int(os.environ.get("LIMUS_UPLOAD_LIMIT", 512 << 20))
TRIANGLE_LIMIT = int(os.environ.get("LIMUS_TRIANGLE_LIMIT", 2_000_000))
#: Resolution at which readings are measured for the view.
READINGS_RESOLUTION = int(os.environ.get("LIMUS_READINGS_RESOLUTION", 1024))
#: What may be kept in memory (meshes, readings, results, pictures), as "4G" or "1500M"; by default a quarter of the machine's memory.
#: The core reads it: see ``limus.store``. Workers get a quarter of it each.
MEMORY = memory_budget()

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "ninja",
    "axes",
    "django_tasks",
    "django_tasks_db",
    "server.projects",
    "server.jobs",
]
MIDDLEWARE = [
    "server.api.upload_limit.UploadLimitMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "csp.middleware.CSPMiddleware",
    "server.projects.demo_sign_in.DemoSignInMiddleware",
    "axes.middleware.AxesMiddleware",
]
ROOT_URLCONF = "server.config.urls"
WSGI_APPLICATION = "server.config.wsgi.application"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "DIRS": [BASE_DIR / "server" / "templates"],
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "csp.context_processors.nonce",
            ]
        },
    }
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
AXES_FAILURE_LIMIT = 8
AXES_COOLOFF_TIME = 0.25
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher", "django.contrib.auth.hashers.PBKDF2PasswordHasher"]
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "/sign-in/"
LOGIN_REDIRECT_URL = "/"
LOGOUT_REDIRECT_URL = "/sign-in/"

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA_DIR / "limus.sqlite3",
        "CONN_MAX_AGE": 600,
        "OPTIONS": {
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA cache_size=-20000; PRAGMA mmap_size=134217728; PRAGMA journal_size_limit=67108864; PRAGMA temp_store=MEMORY;",
        },
        # A file, not memory: several threads and the worker share it.
        "TEST": {"NAME": DATA_DIR / "test.sqlite3"},
    }
}
TEST_RUNNER = "tests.runner.Runner"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
TASKS = {"default": {"BACKEND": os.environ.get("LIMUS_TASKS", "django_tasks_db.DatabaseBackend"), "QUEUES": []}}

USE_TZ = True
TIME_ZONE = "UTC"
#: The catalogue of bases: "", or "slow" or "failing" to see how the interface bears it.
STORE_ROOM = os.environ.get("LIMUS_STORE_ROOM", "")
STATIC_URL = "/static/"
STATICFILES_DIRS = [("web", BASE_DIR / "web" / "dist")] if (BASE_DIR / "web" / "dist").exists() else []
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False
#: Names of built files carry a hash of their content.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/static/web/assets/.+$"

SESSION_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
X_FRAME_OPTIONS = "DENY"
_SECURE = os.environ.get("LIMUS_HTTPS") == "1"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = _SECURE
CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'self'"],
        "img-src": ["'self'", "data:", "blob:"],
        # PrimeVue writes its theme as style elements and sets style attributes on overlays.
        "style-src": ["'self'", "'unsafe-inline'"],
        "connect-src": ["'self'", "blob:", "data:"],
        "worker-src": ["'self'", "blob:"],
        "frame-ancestors": ["'none'"],
        "object-src": ["'none'"],
        "base-uri": ["'self'"],
    }
}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"console": {"class": "logging.StreamHandler"}},
    "root": {"handlers": ["console"], "level": os.environ.get("LIMUS_LOG", "WARNING")},
    "loggers": {
        "axes": {"level": "ERROR"},
        "django_tasks": {"level": "WARNING"},
        "django.request": {"level": "ERROR"},
        "django.security.csrf": {"level": "ERROR"},
    },
}
