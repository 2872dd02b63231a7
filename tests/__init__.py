"""Tests. How long an example may take is not tested: machines differ, and the first one may have to be compiled. The examples are the
same each time, so that a change fails by what it changes.
"""

from hypothesis import settings

settings.register_profile("yard", deadline=None, derandomize=True)
settings.load_profile("yard")
