"""Tests of Vexo and of the register it ships with."""

from hypothesis import HealthCheck, settings

# How long an example takes says nothing about whether it is right; speed is measured in bench/.
settings.register_profile("unhurried", deadline=None, max_examples=60, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("unhurried")
