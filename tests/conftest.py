"""Fixtures for all tests: no test touches the user's own folders."""

from __future__ import annotations

import gc
import os
import sys
import tempfile
from pathlib import Path

import pytest
from hypothesis import HealthCheck
from hypothesis import settings as hypothesis_settings

from arpegon.core.time import studio
from arpegon.engine.wire import spare
from isolation import own_shared_memory
from nursery import Nursery

# These machines are noisy: how long an example takes says nothing. One state of the code has one result, so
# examples are the same at every run; `make hunt` draws new and more ones.
SLOW = [HealthCheck.too_slow]
hypothesis_settings.register_profile("arpegon", deadline=None, suppress_health_check=SLOW, derandomize=True)
hypothesis_settings.register_profile("hunt", deadline=None, suppress_health_check=SLOW, max_examples=400)
hypothesis_settings.load_profile(os.environ.get("ARPEGON_EXAMPLES", "arpegon"))
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
LOG_LINES = 60
# Hundreds of processes are started: what they import is compiled once.
os.environ.pop("PYTHONDONTWRITEBYTECODE", None)
os.environ.setdefault("PYTHONPYCACHEPREFIX", str(Path(tempfile.gettempdir()) / f"arpegon-tests-{os.getuid()}"))


def pytest_configure(config):
    """Workers leave each other's JACK clients alone."""
    if hasattr(config, "workerinput"):
        own_shared_memory()


def pytest_collection_finish():
    """What is imported and collected by now stays: nobody need look through it for what can be freed."""
    gc.collect()
    gc.freeze()


@pytest.hookimpl(wrapper=True)
def pytest_runtest_makereport(item, call):
    """With a failure stands what the processes of the test wrote into their logs."""
    report = yield
    if report.failed and "tmp_path" in item.funcargs:
        for log in sorted(item.funcargs["tmp_path"].rglob("*.log")):
            written = log.read_text(errors="replace").splitlines()[-LOG_LINES:]
            report.sections.append((f"the end of {log.name}", "\n".join(written)))
    return report


@pytest.fixture(autouse=True)
def own_folders(tmp_path, monkeypatch):
    """Settings, state and data of a test go to its own temporary folder."""
    for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME", "XDG_CACHE_HOME"):
        monkeypatch.setenv(name, str(tmp_path / name.lower()))


@pytest.fixture(scope="session")
def nursery():
    """Where engines are forked."""
    made = Nursery()
    yield made
    made.close()


@pytest.fixture(autouse=True)
def forked_engines(nursery, monkeypatch):
    """Engines begin at once; but where lines are counted, which forked ones do not tell of."""
    if "coverage" not in sys.modules:
        monkeypatch.setattr(spare, "spawn", nursery.spawn)


@pytest.fixture(autouse=True)
def own_time():
    """Studio time that a test has set back ends with it."""
    studio.set_behind(0.0)
    yield
    studio.set_behind(0.0)
