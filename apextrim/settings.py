"""Settings of the site; what differs between machines comes from the environment."""

import os
import secrets
import sys
from contextlib import suppress
from datetime import timedelta
from pathlib import Path

import environ
from csp.constants import SELF

BASE_DIR = Path(__file__).resolve().parent.parent
env = environ.Env()

VAR = (BASE_DIR / env("APEX_VAR", default="var")).resolve()
os.umask(0o077)  # the database, its journal, uploads and backups are nobody else's to read
VAR.mkdir(parents=True, exist_ok=True)
with suppress(OSError):  # a folder that is another account's says so when it is written to
    VAR.chmod(0o700)
    for path in VAR.glob("*.sqlite3*"):
        path.chmod(0o600)
#: Copies of the database: their folder, the newest that are kept, and months of which the newest is kept (docs/operations.md).
BACKUPS = Path(env("APEX_BACKUPS", default=str(VAR / "backups")))
BACKUPS_KEPT, BACKUP_MONTHS = env.int("APEX_BACKUPS_KEPT", default=10), env.int("APEX_BACKUP_MONTHS", default=12)

#: In demo mode the sign-in page has one button that enters.
DEMO = env.bool("APEX_DEMO", default=False)
#: Cars and circuits that a new account begins with.
STARTER_FILES = BASE_DIR / "demo"
DEMO_USER, DEMO_PASSWORD = "racer", "sallowmere"
#: Whether accounts are made by invitation; everybody can enter the demo as it is.
INVITES = env.bool("APEX_INVITES", default=not DEMO)


def _secret() -> str:
    """The key of this installation: from the environment, else made once and kept beside the data."""
    path = VAR / "secret_key"
    if not path.exists():
        path.write_text(secrets.token_urlsafe(50))
        path.chmod(0o600)
    return str(path.read_text().strip())


SECRET_KEY = env.str("APEX_SECRET_KEY", default="") or _secret()
DEBUG = False
ALLOWED_HOSTS = env.list("APEX_HOSTS", default=["localhost", "127.0.0.1", "[::1]"])

#: Lines of requests and of faults, a file each beside the data, ten megabytes of each at most (docs/operations.md).
LOGS = Path(env("APEX_LOGS", default=str(VAR / "log")))
with suppress(OSError):
    LOGS.mkdir(parents=True, exist_ok=True)
_WHO = "workers" if sys.argv[1:2] == ["work"] else "server"
if "--helper" in sys.argv:  # each process has files of its own: two cannot turn one over
    _WHO = f"server-{sys.argv[sys.argv.index('--helper') + 1]}"


def _lines(name: str, formatter: str) -> dict[str, object]:
    return {
        "class": "logging.handlers.RotatingFileHandler", "filename": LOGS / f"{_WHO}-{name}.log", "maxBytes": 2_000_000, "backupCount": 4,
        "delay": True, "encoding": "utf-8", "formatter": formatter,
    }  # fmt: skip


LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "formatters": {
        "line": {"format": "%(asctime)s %(message)s"},
        "frames": {"()": "apextrim.ui.log_lines.FramesOnly", "format": "%(asctime)s %(levelname)s %(name)s %(message)s"},
    },
    "handlers": {"requests": _lines("requests", "line"), "faults": _lines("faults", "frames")},
    "loggers": {
        "apextrim.requests": {"handlers": ["requests"], "level": "INFO", "propagate": False},
        "apextrim": {"handlers": ["faults"], "level": "WARNING"},
        "apexcore": {"handlers": ["faults"], "level": "WARNING"},
        "django.request": {"handlers": ["faults"], "level": "ERROR", "propagate": False},
        "huey": {"handlers": ["faults"], "level": "ERROR"},
    },
}

INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "django_htmx",
    "csp",
    "axes",
    "apextrim.ui",
    "apextrim.accounts",
    "apextrim",
    "apextrim.work",
    "apextrim.library",
    "apextrim.events",
    "apextrim.modelling",
    "apextrim.sheets",
    "apextrim.runs",
    "apextrim.readings",
    "apextrim.workshop",
    "apextrim.traces",
    "apextrim.book",
    "apextrim.lap",
    "apextrim.verdicts",
    "apextrim.race",
    "apextrim.archive",
    "demo",
]

MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "apextrim.ui.log_lines.request_lines",
    "csp.middleware.CSPMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "apextrim.accounts.middleware.SignedIn",
    "apextrim.accounts.middleware.not_stored",
    "apextrim.ui.ahead.fetched_ahead",
    "apextrim.accounts.once.Once",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "django_htmx.middleware.HtmxMiddleware",
    "apextrim.accounts.middleware.readers_units",
    "apextrim.management.engine.UntilReady",
    "axes.middleware.AxesMiddleware",
]

#: In the server's own memory: what is kept there may be lost.
CACHES = {"default": {"BACKEND": "django.core.cache.backends.locmem.LocMemCache", "OPTIONS": {"MAX_ENTRIES": 20_000}}}

MESSAGE_STORAGE = "apextrim.ui.message_storage.Storage"

ROOT_URLCONF = "apextrim.urls"
WSGI_APPLICATION = "apextrim.wsgi.application"

TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "OPTIONS": {
            "loaders": [("django.template.loaders.cached.Loader", ["apextrim.ui.loaders.CompactLoader"])],
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
                "apextrim.accounts.context.account",
            ],
            "builtins": ["apextrim.ui.templatetags.apex"],
        },
    }
]

DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": VAR / "apextrim.sqlite3",
        "TEST": {"NAME": VAR / "test.sqlite3"},  # a file: threads of a test server must see each other's rows
        "CONN_MAX_AGE": None,  # a connection per server thread, kept: opening one costs more than a step may
        "OPTIONS": {
            # IMMEDIATE takes the write lock at the start: two windows wait for each other instead of failing half-way
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            # secure_delete: what was deleted is overwritten in the file
            # FULL: what was acknowledged is on the disk, also when the power fails the moment after
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA foreign_keys=ON; PRAGMA synchronous=FULL; PRAGMA secure_delete=ON;",
        },
    }
}
#: What carries jobs to the workers: empty for a file beside the database, or the address of a Redis (docs/operations.md).
QUEUE = env("APEX_QUEUE", default="")
#: Whether the quickest line is looked for when an event is made; asked for on the Lap bench it is found either way.
FIND_LINES = env.bool("APEX_FIND_LINES", default=True)
#: Worker processes; they take only the time that requests leave over.
WORKERS = env.int("APEX_WORKERS", default=max(2, os.cpu_count() or 2))
#: Where answers that took long are kept between restarts; empty for nowhere.
ANSWERS = Path(kept) if (kept := env("APEX_ANSWERS", default=str(VAR / "answers"))) else None
#: Server processes on one port, some 300 MB each; with two, pages have two processors.
SERVERS = env.int("APEX_SERVERS", default=min(2, os.cpu_count() or 1))
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"

AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
AUTHENTICATION_BACKENDS = ["axes.backends.AxesStandaloneBackend", "django.contrib.auth.backends.ModelBackend"]
#: Failed sign-ins of one name from one address before it has to wait, and for how long.
AXES_FAILURE_LIMIT, AXES_COOLOFF_TIME = 8, timedelta(minutes=15)
AXES_LOCKOUT_PARAMETERS = [["username", "ip_address"]]
AXES_LOCKOUT_CALLABLE = "apextrim.accounts.views.locked_out"
AXES_RESET_ON_SUCCESS = True
AXES_VERBOSE = False
AXES_DISABLE_ACCESS_LOG = True

LOGIN_URL = "sign_in"
LOGIN_REDIRECT_URL = "home"
LOGOUT_REDIRECT_URL = "sign_in"

LANGUAGE_CODE = "en-gb"
TIME_ZONE = "UTC"
USE_I18N = False
USE_TZ = True

STATIC_URL = "static/"
WHITENOISE_USE_FINDERS = True  # straight from the apps: nothing to collect before a start
WHITENOISE_MAX_AGE = 60
WHITENOISE_MIMETYPES = {".rules": "application/speculationrules+json"}  # what is fetched ahead, ui/ahead.rules

CONTENT_SECURITY_POLICY = {
    "DIRECTIVES": {
        "default-src": ["'none'"],
        "script-src": [SELF],
        "style-src": [SELF],
        "font-src": [SELF],
        "img-src": [SELF],
        "connect-src": [SELF],
        "form-action": [SELF],
        "base-uri": ["'none'"],
        "frame-ancestors": ["'none'"],
    }
}
SECURE_CONTENT_TYPE_NOSNIFF = True
SECURE_REFERRER_POLICY = "same-origin"
X_FRAME_OPTIONS = "DENY"
CSRF_FAILURE_VIEW = "apextrim.ui.views.csrf_failure"

#: Behind a reverse proxy that speaks TLS, one setting (docs/operations.md): cookies go over TLS only, plain requests are led on.
TLS = env.bool("APEX_TLS", default=False)
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE_SSL_REDIRECT = TLS
SECURE_HSTS_SECONDS = 31_536_000 if TLS else 0
SECURE_HSTS_INCLUDE_SUBDOMAINS = SECURE_HSTS_PRELOAD = TLS
#: The proxy that is believed when it says so; from anybody else it is thrown away (`serve`).
PROXY = env("APEX_PROXY", default="127.0.0.1")
if TLS:
    SECURE_PROXY_SSL_HEADER = ("HTTP_X_FORWARDED_PROTO", "https")
    CSRF_TRUSTED_ORIGINS = [f"https://{host}" for host in ALLOWED_HOSTS if host not in ("localhost", "127.0.0.1", "[::1]")]

DATA_UPLOAD_MAX_MEMORY_SIZE = 6_000_000
DATA_UPLOAD_MAX_NUMBER_FIELDS = 6_000  # a car with sixty items has over a thousand values
FILE_UPLOAD_MAX_MEMORY_SIZE = 6_000_000
