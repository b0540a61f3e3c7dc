"""What all tests share."""

import pytest
from hypothesis import HealthCheck, settings

# A busy machine is slow now and then; that is no fault of what is tested.
settings.register_profile("calm", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("calm")


@pytest.fixture
def worker_id(request: pytest.FixtureRequest) -> str:
    """Which of the parallel workers this is; ``master`` for the only one."""
    workerinput = getattr(request.config, "workerinput", None)
    return workerinput["workerid"] if workerinput else "master"
