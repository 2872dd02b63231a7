"""Tests. How long an example may take is not tested: machines differ, and the first one may have to be compiled."""

from hypothesis import settings

settings.register_profile("yard", deadline=None)
settings.load_profile("yard")
