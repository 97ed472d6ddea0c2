"""One van: the program on a laptop, on loopback."""

from rectaxis.settings.base import *  # noqa: F403 - settings are layered by import
