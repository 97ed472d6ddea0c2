"""Settings of the tests: demo mode on, plain static files, fast password hashing, undefined template names fail."""

import os
from typing import Any

from rectaxis.settings.base import *  # noqa: F403 - settings are layered by import
from rectaxis.settings.base import DATABASES, LOGGING, MIDDLEWARE, TEMPLATE_OPTIONS, TEMPLATES

DEMO = True
TEST_RUNNER = "tests.runner.Runner"
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
_SHARED = os.environ.get("RECTAXIS_TEST_MEDIA")  # where several processes of a test keep files
_FILES: Any = (
    {"BACKEND": "django.core.files.storage.FileSystemStorage", "OPTIONS": {"location": _SHARED}}
    if _SHARED
    else {"BACKEND": "django.core.files.storage.InMemoryStorage"}
)
STORAGES = {
    "default": _FILES,
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
MIDDLEWARE.remove("whitenoise.middleware.WhiteNoiseMiddleware")  # the live server serves static files by itself
TEST_DATABASE = {
    "NAME": os.environ.get("RECTAXIS_TEST_DATABASE", "test_rectaxis"),
    "TEMPLATE": os.environ.get("RECTAXIS_TEST_TEMPLATE"),
}
POOL = {"pool": {"min_size": 0, "max_size": 20}}  # the threads of a test, and what the browser asks for at once
DATABASES = {"default": DATABASES["default"] | {"OPTIONS": POOL, "TEST": TEST_DATABASE}}
# Refusals are asked for by the dozen; what breaks fails its test.
LOGGING |= {"loggers": {name: {"level": "CRITICAL"} for name in ("django.request", "django.security", "axes")}}


class UndefinedName(str):
    """Stands where a template names nothing: showing it is an error."""

    __slots__ = ()

    def __mod__(self, name: object) -> str:
        raise AssertionError(f"the template names {name}, which is not there")


TEMPLATES = [TEMPLATES[0] | {"OPTIONS": TEMPLATE_OPTIONS | {"string_if_invalid": UndefinedName("%s")}}]
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "testserver"]
