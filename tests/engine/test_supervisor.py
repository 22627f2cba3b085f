"""Keeping a process at work: started again at once, left alone when it is no use, and never in silence."""

from __future__ import annotations

import os
import signal
import threading

import pytest

from arpegon.engine.wire import protocol, supervisor
from arpegon.engine.wire import spare as spare_module
from arpegon.engine.wire.spare import begin_early
from arpegon.engine.wire.supervisor import RESTARTS, Ended, Supervisor
from jacking import wait_for


@pytest.fixture
def supervised(tmp_path, monkeypatch):
    """Starts supervised processes that crash in a way; what they said and how they ended stands in lists."""
    made = []

    def start(how="", spare_after=None):
        monkeypatch.setenv("ARPEGON_TEST_CRASH", how)
        monkeypatch.setenv("PYTHONPATH", f"{os.path.dirname(__file__)}:{os.environ.get('PYTHONPATH', '')}")
        said, ended = [], []
        one = Supervisor(
            "crashing",
            protocol.EngineReport,
            lambda: [protocol.Play(3.0)],
            said.append,
            ended.append,
            tmp_path / "errors.log",
            spare_after,
        )
        one.said, one.ended = said, ended
        made.append(one)
        one.start()
        return one

    yield start
    for one in made:
        one.close(protocol.Quit(), 5.0)


def hellos(one):
    return [notice.text for notice in one.said if notice.topic == "hello"]


def test_it_is_greeted_at_each_start(supervised):
    one = supervised()
    wait_for(lambda: [notice.text for notice in one.said if notice.topic == "heard"] == ["Play"])
    os.kill(one.process.pid, signal.SIGKILL)
    wait_for(lambda: len([notice for notice in one.said if notice.topic == "heard"]) == 2)
    assert len(set(hellos(one))) == 2 and [how.again for how in one.ended] == [True]


@pytest.fixture
def unstarted(monkeypatch):
    """A supervisor that only says that it would start its process."""
    one = Supervisor("crashing", protocol.EngineReport, list, print, print)
    one.spawned = threading.Event()
    monkeypatch.setattr(one, "_try_to_spawn", one.spawned.set)
    return one


def start_threads():
    return [thread for thread in threading.enumerate() if thread.name == "start"]


@pytest.mark.parametrize("patience", [60.0, 0.0])
def test_it_is_started_once_what_comes_first_is_ready_or_takes_too_long(unstarted, patience):
    ready = threading.Event()
    unstarted.start_after(ready, patience)
    if patience:
        assert unstarted.started and not unstarted.spawned.is_set()
        ready.set()
    assert unstarted.spawned.wait(20.0)


def test_what_is_closed_before_it_was_started_stays_away(unstarted):
    ready = threading.Event()
    unstarted.start_after(ready, 60.0)
    unstarted.close(protocol.Quit(), 5.0)
    ready.set()
    wait_for(lambda: not start_threads())
    assert not unstarted.spawned.is_set()


def test_what_dies_at_every_start_is_left_alone_with_its_last_words_and_tried_again_when_asked(supervised, monkeypatch):
    one = supervised("at once")
    wait_for(lambda: len(one.ended) == RESTARTS)
    assert [how.again for how in one.ended] == [True] * (RESTARTS - 1) + [False]
    assert all(how.reason == "RuntimeError: the harbour is closed" for how in one.ended)
    monkeypatch.setenv("ARPEGON_TEST_CRASH", "")
    one.start_anew()
    wait_for(lambda: hellos(one))


def test_where_the_system_has_no_room_for_another_that_is_said_and_it_can_be_tried_again(supervised, monkeypatch):
    real = supervisor.start

    def full(*_):
        raise OSError(11, "Resource temporarily unavailable")

    monkeypatch.setattr(supervisor, "start", full)
    one = supervised()
    assert one.ended == [Ended(False, "Resource temporarily unavailable", refused=True)]
    assert one.ended[0].gone_words("The engine") == (
        "The engine could not be started (Resource temporarily unavailable)."
    )
    monkeypatch.setattr(supervisor, "start", real)
    one.start_anew()
    wait_for(lambda: hellos(one))
    monkeypatch.setattr(supervisor, "start", full)
    os.kill(one.process.pid, signal.SIGKILL)
    wait_for(lambda: len(one.ended) == 3)
    assert not one.ended[-1].again
    one.send(protocol.Play(1.0))
    assert one.wire is None, "nothing waits for a process that is gone"
    monkeypatch.setattr(supervisor, "start", real)
    one.start_anew()
    wait_for(lambda: len(hellos(one)) == 2)


@pytest.mark.parametrize("how", ["junk", "endless"])
def test_what_says_what_cannot_be_read_is_started_anew_and_that_is_said(supervised, how, monkeypatch):
    one = supervised(how)
    monkeypatch.setenv("ARPEGON_TEST_CRASH", "")
    wait_for(lambda: hellos(one))
    assert one.ended[0].again and "cannot be read" in one.ended[0].reason


def test_a_fault_of_whoever_hears_does_not_make_deaf(supervised):
    one = supervised()
    wait_for(lambda: [notice.text for notice in one.said if notice.topic == "heard"] == ["Play"])
    heard = []

    def deaf(message):
        heard.append(message)
        raise ValueError("a fault on our side")

    one._receive = deaf
    one.send(protocol.Stop())
    one.send(protocol.Stop())
    wait_for(lambda: len(heard) == 2)
    assert not one.ended


def test_closing_is_no_end_and_errors_are_appended(supervised, tmp_path):
    log = tmp_path / "errors.log"
    log.write_text("from an earlier crash\n")
    one = supervised()
    wait_for(lambda: hellos(one))
    one.close(protocol.Quit(), 5.0)
    assert one.process.returncode == 0 and not one.ended
    assert log.read_text().startswith("from an earlier crash")


def test_one_stands_by_and_is_the_next_at_once(supervised):
    one = supervised("spare", spare_after=0.0)
    wait_for(lambda: one.spare.pid)
    first, spare = one.process.pid, one.spare.pid
    assert hellos(one) in ([], [str(first)])  # who stands by does nothing
    os.kill(first, signal.SIGKILL)
    wait_for(lambda: hellos(one)[-1:] == [str(spare)])
    assert one.process.pid == spare
    wait_for(lambda: one.spare.pid not in (None, spare))


def test_where_the_one_that_stands_by_is_dead_another_is_started(supervised):
    one = supervised("spare", spare_after=0.0)
    wait_for(lambda: one.spare.pid)
    spare = one.spare.pid
    os.kill(spare, signal.SIGKILL)
    os.kill(one.process.pid, signal.SIGKILL)
    wait_for(lambda: len([notice for notice in one.said if notice.topic == "heard"]) >= 1 and len(one.ended) >= 1)
    wait_for(lambda: hellos(one) and hellos(one)[-1] not in ("", str(spare)) and one.process.poll() is None)


def test_who_stands_by_goes_with_who_started_it(supervised):
    one = supervised("spare", spare_after=0.0)
    wait_for(lambda: one.spare.pid)
    spare = one.spare.take()
    spare[1].close()
    assert spare[0].wait(10.0) == 0


def test_a_long_file_of_errors_is_put_by_and_who_writes_to_it_goes_on(supervised, tmp_path):
    errors = tmp_path / "errors.log"
    errors.write_bytes(b"old news\n" * 100_000)
    one = supervised("at once")
    wait_for(lambda: one.ended)
    assert one.ended[0].reason == "RuntimeError: the harbour is closed"
    assert (tmp_path / "errors.1").read_bytes().startswith(b"old news") and b"old news" not in errors.read_bytes()


def test_one_that_was_begun_early_is_the_one_that_is_started(supervised, monkeypatch):
    monkeypatch.setenv("ARPEGON_TEST_CRASH", "")
    monkeypatch.setenv("PYTHONPATH", f"{os.path.dirname(__file__)}:{os.environ.get('PYTHONPATH', '')}")
    begin_early("crashing", None)
    early = spare_module._early["crashing"][0].pid
    one = supervised()
    assert one.process.pid == early and "crashing" not in spare_module._early
    wait_for(lambda: hellos(one))
