"""Settings of the register. Live and practice are two databases of the same shape."""

import os
from datetime import date
from pathlib import Path

DATA = Path(os.environ.get("HARBOUR_DATA", "var/harbour"))
SETS = ("live", "practice")
TODAY = date(2026, 11, 16)  # the register's working day; fixed, so that its data and rules stay the same

TOKENS = {
    os.environ.get("HARBOUR_TOKEN", "saltmarsh-vexo-token"): "Vexo",
    "saltmarsh-office-token": "Ines Gullane-Marsh",
    "saltmarsh-gatehouse-token": "Bram Tidewell",
}

SECRET_KEY = "the-register-keeps-no-sessions"  # noqa: S105
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "testserver"]
ROOT_URLCONF = "harbour.urls"
INSTALLED_APPS = ["harbour.register"]
MIDDLEWARE = ["harbour.register.trouble.TroubleMiddleware"]
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]
USE_TZ = True
TIME_ZONE = "UTC"
DATA_UPLOAD_MAX_MEMORY_SIZE = 64 * 1024 * 1024
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"


def _database(name: str) -> dict[str, object]:
    return {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA / f"{name}.db",
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "timeout": 30,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA case_sensitive_like=ON;",
        },
    }


DATABASES = {"default": _database("live"), "practice": _database("practice")}
ALIAS = {"live": "default", "practice": "practice"}
LOGGING = {
    "version": 1,
    "disable_existing_loggers": False,
    "handlers": {"null": {"class": "logging.NullHandler"}},
    "loggers": {"django.request": {"handlers": ["null"], "propagate": False}},
}
