"""What all tests share."""

import atexit
import os
import shutil
import tempfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

# Whatever a test forgets to say: these are the settings, by which nothing can be sent anywhere.
CLOSED = Path(tempfile.mkdtemp(prefix="legatum-closed-"))
(CLOSED / "legatum.toml").write_text('[network]\nroots = { "a.root.test" = ["192.0.2.1"] }\nmap = {}\n')
os.environ["LEGATUM_SETTINGS"] = str(CLOSED)
os.environ["XDG_CACHE_HOME"] = str(CLOSED / "cache")
atexit.register(shutil.rmtree, CLOSED, ignore_errors=True)

# A busy machine is slow now and then; that is no fault of what is tested.
settings.register_profile("calm", deadline=None, suppress_health_check=[HealthCheck.too_slow])
settings.load_profile("calm")


@pytest.fixture
def worker_id(request: pytest.FixtureRequest) -> str:
    """Which of the parallel workers this is; ``master`` for the only one."""
    workerinput = getattr(request.config, "workerinput", None)
    return workerinput["workerid"] if workerinput else "master"


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Each of the parallel workers begins with its share of the tests against real servers: those wait more than they
    work."""
    count = getattr(config, "workerinput", {}).get("workercount", 1)
    modules = {
        module: [each for each in items if each.path == module] for module in dict.fromkeys(each.path for each in items)
    }
    real = [module for module, tests in modules.items() if any(each.get_closest_marker("real") for each in tests)]
    rest = [each for module, tests in modules.items() if module not in real for each in tests]
    size, ordered = -(-len(items) // count), list[pytest.Item]()
    for number in range(count):
        share = [each for module in real[number::count] for each in modules[module]]
        room = max(0, size - len(share))
        ordered += share + rest[:room]
        rest = rest[room:]
    items[:] = ordered + rest
