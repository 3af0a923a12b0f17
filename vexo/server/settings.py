"""Settings of the server. What differs between installations comes from the environment."""

import os
from pathlib import Path
from urllib.parse import urlsplit

from django.utils.functional import SimpleLazyObject

from .data_folder import DATABASE, data_folder, secret_key
from .logs import logging_settings

BASE = Path(__file__).resolve().parent
# Read when it is first needed: settings are read where there is no data folder yet, too.
SECRET_KEY = SimpleLazyObject(secret_key)
DEBUG = False
# The one address at which people find this server, such as https://vexo.example.org; without it only this machine's.
ADDRESS = urlsplit(os.environ.get("VEXO_ADDRESS", ""))
SECURE = ADDRESS.scheme == "https"
_OWN = ["127.0.0.1", "localhost", "[::1]"]
# This machine's own names too: who watches Vexo asks it here.
ALLOWED_HOSTS = [ADDRESS.hostname, *_OWN] if ADDRESS.hostname else [*_OWN, "testserver"]
CSRF_TRUSTED_ORIGINS = [f"{ADDRESS.scheme}://{ADDRESS.netloc}"] if ADDRESS.hostname else []
SESSION_COOKIE_SECURE = CSRF_COOKIE_SECURE = SECURE
SECURE_HSTS_SECONDS = 31_536_000 if SECURE else 0
ROOT_URLCONF = "vexo.server.urls"
WSGI_APPLICATION = "vexo.server.wsgi.application"
AUTH_USER_MODEL = "people.Person"
INSTALLED_APPS = [
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "rest_framework",
    "django.contrib.staticfiles",
    "drf_spectacular",
    "drf_spectacular_sidecar",
    "vexo.server.installation",
    "vexo.server.people",
    "vexo.server.journal",
    "vexo.server.jobs",
    "vexo.server.notices",
    "vexo.server.applications",
    "vexo.server.trips",
    "vexo.server.routes",
    "vexo.server.uploads",
    "vexo.server.planning",
    "vexo.server.passes",
    "vexo.server.upkeep",
    "vexo.server.unattended",
]
MIDDLEWARE = [
    "vexo.server.logs.RequestLog",
    "vexo.server.journal.way_in.WayInMiddleware",
    "django.middleware.security.SecurityMiddleware",
    "vexo.server.policy.PolicyMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "vexo.server.people.sessions.IdleMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": data_folder() / DATABASE,
        # A thread keeps its connection: opening one takes as long as all that a request asks of it.
        "CONN_MAX_AGE": None,
        "OPTIONS": {
            "timeout": 30,
            "transaction_mode": "IMMEDIATE",
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=FULL; PRAGMA foreign_keys=ON; "
            "PRAGMA secure_delete=ON;",
        },
    }
}
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": f"django.contrib.auth.password_validation.{name}", "OPTIONS": options}
    for name, options in (
        ("MinimumLengthValidator", {"min_length": 10}),
        ("CommonPasswordValidator", {}),
        ("NumericPasswordValidator", {}),
        ("UserAttributeSimilarityValidator", {"user_attributes": ("username", "name")}),
    )
]
PASSWORD_HASHERS = ["django.contrib.auth.hashers.Argon2PasswordHasher"]
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
LANGUAGE_CODE = "en-gb"
SESSION_ENGINE = "vexo.server.people.sessions"
PASSWORD_RESET_TIMEOUT = 24 * 3600
SESSION_COOKIE_HTTPONLY = True
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
SECURE_REFERRER_POLICY = "same-origin"
SECURE_CONTENT_TYPE_NOSNIFF = True
X_FRAME_OPTIONS = "DENY"
DATA_UPLOAD_MAX_MEMORY_SIZE = 8 * 1024 * 1024

WEB = Path(os.environ.get("VEXO_WEB", BASE.parent.parent / "web" / "dist"))
WHITENOISE_ROOT = WEB if WEB.is_dir() else None
WHITENOISE_MAX_AGE = 3600
WHITENOISE_IMMUTABLE_FILE_TEST = r"^/assets/"
# For the page of the API's description alone.
TEMPLATES = [{"BACKEND": "django.template.backends.django.DjangoTemplates", "APP_DIRS": True}]
STATIC_URL = "/static/"
# The page of the API's description comes with its package; nothing is collected beforehand.
WHITENOISE_USE_FINDERS = True

REST_FRAMEWORK = {
    "DEFAULT_AUTHENTICATION_CLASSES": [
        "vexo.server.people.authentication.TokenAuthentication",
        "vexo.server.people.authentication.BrowserAuthentication",
    ],
    "DEFAULT_PERMISSION_CLASSES": ["vexo.server.people.permissions.Rights", "vexo.server.asked.KnownQuery"],
    "DEFAULT_RENDERER_CLASSES": ["vexo.server.rendering.SentenceRenderer"],
    "DEFAULT_PARSER_CLASSES": ["vexo.server.parsing.PlainJSONParser"],
    "DEFAULT_SCHEMA_CLASS": "drf_spectacular.openapi.AutoSchema",
    "EXCEPTION_HANDLER": "vexo.server.problems.problem_handler",
}
SPECTACULAR_SETTINGS = {
    "TITLE": "Vexo",
    "VERSION": "1",
    "DESCRIPTION": "Records out of an application into a sheet, and back in. docs/api.md walks through it.",
    "SWAGGER_UI_DIST": "SIDECAR",
    "SWAGGER_UI_FAVICON_HREF": "SIDECAR",
    "POSTPROCESSING_HOOKS": [
        "drf_spectacular.hooks.postprocess_schema_enums",
        "vexo.server.api_description.describe_errors",
    ],
    "SERVE_INCLUDE_SCHEMA": False,
    "ENUM_NAME_OVERRIDES": {
        "BlankMeansEnum": "vexo.core.columns.lanes.Blank",
        "VerdictEnum": "vexo.core.planning.verdicts.Verdict",
        "AbsentVerdictEnum": "vexo.core.planning.verdicts.AbsentVerdict",
        "RowStateEnum": "vexo.core.planning.verdicts.RowState",
        "FieldKindEnum": "vexo.core.records.Kind",
        "GuardModeEnum": "vexo.core.guards.GuardMode",
        "GuardNameEnum": "vexo.core.guards.GuardName",
        "StageEnum": "vexo.server.applications.models.Stage",
        "FaultCodeEnum": "vexo.core.faults.ALL_CODES",
        "ErrorCodeEnum": "vexo.server.error_codes.ERROR_CODES",
        "PassStateEnum": "vexo.server.trips.facts.passes.PassState",
        "StationNameEnum": "vexo.server.trips.facts.status.StationName",
        "NoticeKindEnum": "vexo.server.notices.kinds.KINDS",
        "RoomKindEnum": "vexo.server.upkeep.disk.KINDS",
        "LocaleEnum": "vexo.server.locales.CHOICES",
        "KeptKindEnum": "vexo.server.upkeep.retention.KEPT_KINDS",
    },
}
LOGGING = logging_settings(data_folder() / "logs")
