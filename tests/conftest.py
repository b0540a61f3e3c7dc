"""What all tests share."""

import pytest


@pytest.fixture
def worker_id(request: pytest.FixtureRequest) -> str:
    """Which of the parallel workers this is; ``master`` for the only one."""
    workerinput = getattr(request.config, "workerinput", None)
    return workerinput["workerid"] if workerinput else "master"
