"""Tests: core, web and browser."""

from hypothesis import settings

settings.register_profile("calm", deadline=None)
settings.load_profile("calm")
