"""Tests of Indexa. Generated input is not timed: the first of a run reads the project's own constants, on any machine."""

from hypothesis import HealthCheck, settings

settings.register_profile("indexa", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("indexa")
