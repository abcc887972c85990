"""Settings. Everything that a place may want to change is an environment variable beginning with LIMUS_."""

from __future__ import annotations

import os
import secrets
from contextlib import suppress
from pathlib import Path

from limus.common.errors import InputError
from limus.common.store import memory_budget
from limus.formats.files import write_whole
from server.config.given import number, whole_number

BASE_DIR = Path(__file__).resolve().parents[2]
#: Database, uploads, readings and deliveries live here.
DATA_DIR = Path(os.environ.get("LIMUS_DATA", BASE_DIR / "var")).absolute()
try:
    DATA_DIR.mkdir(parents=True, exist_ok=True)
except OSError as _error:
    raise InputError(
        f"the data folder cannot be made ({_error.strerror})",
        where=f"LIMUS_DATA={DATA_DIR.name}",
        remedy="Name a folder that can be written",
    ) from _error
#: The database belongs to this program alone; SQLite gives its companions the same rights.
DATABASE = DATA_DIR / "limus.sqlite3"
with suppress(OSError):
    if not DATABASE.exists():
        os.close(os.open(DATABASE, os.O_CREAT | os.O_WRONLY, 0o600))
    for _file in (DATABASE, Path(f"{DATABASE}-wal"), Path(f"{DATABASE}-shm")):
        if _file.exists() and _file.stat().st_mode & 0o077:
            _file.chmod(0o600)
os.environ.setdefault("LIMUS_CACHE", str(DATA_DIR / "readings"))


def _secret() -> str:
    """A key of this installation's own, made at the first start."""
    path = DATA_DIR / "secret-key"
    if not path.exists():
        beside = DATA_DIR / f".secret-key-{os.getpid()}"
        write_whole(beside, secrets.token_urlsafe(50).encode())
        beside.chmod(0o600)
        # Where two start at once the first one's key holds for both.
        with suppress(FileExistsError):
            os.link(beside, path)
        beside.unlink(missing_ok=True)
    return path.read_text()


try:
    SECRET_KEY = os.environ.get("LIMUS_SECRET_KEY") or _secret()
except OSError as _error:
    raise InputError(
        f"nothing can be written to the data folder ({_error.strerror})",
        where="LIMUS_DATA",
        remedy="Make room, or give this user the right to write",
    ) from _error
DEBUG = os.environ.get("LIMUS_DEBUG") == "1"
#: The address the server listens on. Only on loopback does the demo user sign in by itself.
BIND = os.environ.get("LIMUS_BIND", "127.0.0.1")
DEMO_SIGN_IN = os.environ.get("LIMUS_DEMO") == "1" and BIND in ("127.0.0.1", "::1", "localhost")
ALLOWED_HOSTS = ["localhost", "127.0.0.1", "[::1]", *filter(None, os.environ.get("LIMUS_HOSTS", "").split(","))]
CSRF_TRUSTED_ORIGINS = list(filter(None, os.environ.get("LIMUS_ORIGINS", "").split(",")))

#: Largest upload in bytes and most triangles of one object.
UPLOAD_LIMIT = whole_number("LIMUS_UPLOAD_LIMIT", 512 << 20, least=1)
#: Bytes of one JSON document: a scene with all the strokes it may have takes a few.
DATA_UPLOAD_MAX_MEMORY_SIZE = 32 << 20
TRIANGLE_LIMIT = whole_number("LIMUS_TRIANGLE_LIMIT", 2_000_000, least=1)
#: Address of a Dask scheduler whose workers answer views ("tcp://host:8786"); "" for this process.
SCHEDULER = os.environ.get("LIMUS_SCHEDULER", "").strip()
if SCHEDULER and not SCHEDULER.startswith(("tcp://", "tls://")):
    raise InputError(
        f"'{SCHEDULER[:60]}' is no address", where="LIMUS_SCHEDULER", remedy="Write tcp://host:8786, or leave it out"
    )
#: Resolution at which readings are measured for the view.
READINGS_RESOLUTION = whole_number("LIMUS_READINGS_RESOLUTION", 1024, least=32)
#: What may be kept in memory (meshes, readings, results, pictures), as "4G" or "1500M"; by default a quarter of the
#: machine's memory. The core reads it: see ``limus.common.store``. Workers get a quarter of it each.
MEMORY = memory_budget()

#: Processes for long work and for what somebody waits for; memory of one job (as LIMUS_MEMORY; by default half of the
#: machine's); by how much the time limits of jobs are stretched, for slow machines.
LONG_WORKERS = whole_number("LIMUS_WORKERS", 2, least=1)
SHORT_WORKERS = 1
JOB_MEMORY = memory_budget(
    os.environ.get("LIMUS_JOB_MEMORY") or f"{os.sysconf('SC_PHYS_PAGES') * os.sysconf('SC_PAGE_SIZE') // 2}",
    name="LIMUS_JOB_MEMORY",
)
JOB_PATIENCE = number("LIMUS_JOB_PATIENCE", 1.0, least=0.01)
#: Jobs are done where they are started, at once; for tests.
JOBS_AT_ONCE = False
#: Bytes of disk: what one person may keep, of that in finished deliveries, and readings of everybody together.
QUOTA = memory_budget(os.environ.get("LIMUS_QUOTA", "20G"), name="LIMUS_QUOTA")
DELIVERIES_BUDGET = memory_budget(os.environ.get("LIMUS_DELIVERIES", "4G"), name="LIMUS_DELIVERIES")
READINGS_BUDGET = memory_budget(os.environ.get("LIMUS_READINGS", "10G"), name="LIMUS_READINGS")
#: Proxies in front of the server, whose X-Forwarded-For is believed.
PROXIES = whole_number("LIMUS_PROXIES", 0)

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.staticfiles",
    "ninja",
    "axes",
    "server.projects",
    "server.jobs",
    "server.work",
]
MIDDLEWARE = [
    "server.projects.disk.DiskFullMiddleware",
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
    "server.projects.slow_sign_in.SlowSignInMiddleware",
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
PASSWORD_HASHERS = [
    "django.contrib.auth.hashers.Argon2PasswordHasher",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",
]
AUTH_PASSWORD_VALIDATORS = [
    {
        "NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator",
        "OPTIONS": {"max_similarity": 0.5},
    },
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 10}},
    {"NAME": "django.contrib.auth.password_validation.NumericPasswordValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
LOGIN_URL = "/sign-in/"
LOGIN_REDIRECT_URL = "/"
LOGOUT_REDIRECT_URL = "/sign-in/"

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATABASE,
        "CONN_MAX_AGE": 600,
        "OPTIONS": {
            "timeout": 20,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA cache_size=-20000; PRAGMA "
            "mmap_size=134217728; PRAGMA journal_size_limit=67108864; PRAGMA temp_store=MEMORY;",
        },
        # A file, not memory: several threads and the worker share it.
        "TEST": {"NAME": DATA_DIR / "test.sqlite3"},
    }
}
TEST_RUNNER = "tests.runner.Runner"
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

USE_TZ = True
TIME_ZONE = "UTC"
#: The catalogue of bases: "", or "slow" or "failing" to see how the interface bears it.
STORE_ROOM = os.environ.get("LIMUS_STORE_ROOM", "")
STATIC_URL = "/static/"
#: The built page; a copy of it, for who must not see it built anew meanwhile.
WEB_DIST = Path(os.environ.get("LIMUS_WEB", BASE_DIR / "web" / "dist")).absolute()
STATICFILES_DIRS = [("web", WEB_DIST)] if WEB_DIST.exists() else []
WHITENOISE_USE_FINDERS = True
WHITENOISE_AUTOREFRESH = False
#: Names of built files carry a hash of their content.
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/static/web/assets/.+$"

SESSION_COOKIE_SAMESITE = "Lax"
SECURE_CONTENT_TYPE_NOSNIFF = True
X_FRAME_OPTIONS = "DENY"
_SECURE = os.environ.get("LIMUS_HTTPS") == "1"
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = _SECURE
if _SECURE:
    # A year, as browsers ask for it; whoever serves other sites below the same name decides about those.
    SECURE_HSTS_SECONDS = whole_number("LIMUS_HSTS", 31_536_000)
    SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = os.environ.get("LIMUS_HSTS_SUBDOMAINS") == "1"
    # The proxy in front speaks HTTPS; what it says of that is believed only where there is one.
    SECURE_SSL_REDIRECT = True
    if PROXIES:
        SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
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
        "django.request": {"level": "ERROR"},
        "django.security.csrf": {"level": "ERROR"},
    },
}
