"""Settings for property tests: no deadline, since a shared machine may stall; more examples in `make soak`."""

from __future__ import annotations

import os

from hypothesis import HealthCheck, settings

settings.register_profile("quick", deadline=None, max_examples=150, suppress_health_check=[HealthCheck.too_slow])
settings.register_profile("soak", settings.get_profile("quick"), max_examples=5000)
settings.load_profile(os.environ.get("VOSKAR_PROPERTIES", "quick"))
