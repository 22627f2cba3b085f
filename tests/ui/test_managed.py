"""A session of several programs: a small server of the test's own opens, saves, shows and hides us."""

from __future__ import annotations

import socket

import pytest
from PyQt6.QtGui import QCloseEvent
from pythonosc.osc_message import OscMessage
from pythonosc.osc_message_builder import OscMessageBuilder

from arpegon.core.document import edits
from arpegon.files.project import load_project
from arpegon.ui.model.managed import Managed


class SessionServer:
    """Hears programs that announce themselves, and tells them what to do."""

    def __init__(self, qtbot):
        self.qtbot = qtbot
        self.socket = socket.socket(socket.AF_INET, socket.SOCK_DGRAM)
        self.socket.bind(("127.0.0.1", 0))
        self.socket.setblocking(False)
        self.url = f"osc.udp://127.0.0.1:{self.socket.getsockname()[1]}/"
        self.program = None
        self.heard = []

    def look(self):
        while True:
            try:
                data, self.program = self.socket.recvfrom(65_536)
            except OSError:
                return
            message = OscMessage(data)
            self.heard.append((message.address, list(message.params)))

    def wait_for(self, address):
        """The arguments of the next message to an address."""
        found = []

        def came():
            self.look()
            found[:] = [one for one in self.heard if one[0] == address]
            return bool(found)

        self.qtbot.waitUntil(came)
        self.heard.remove(found[0])
        return found[0][1]

    def send(self, address, *values, to=None):
        builder = OscMessageBuilder(address)
        for value in values:
            builder.add_arg(value)
        self.socket.sendto(builder.build().dgram, to or self.program)


@pytest.fixture
def server(qtbot):
    made = SessionServer(qtbot)
    yield made
    made.socket.close()


@pytest.fixture
def managed(window, server, qtbot):
    """A window that the server has."""
    made = Managed(window.session, server.url)
    window.be_managed(made)
    name, capabilities, _, major, minor, pid = server.wait_for("/nsm/server/announce")
    assert (name, major, minor) == ("Arpegon", 1, 2) and pid > 0 and ":dirty:" in capabilities and not made.on
    server.send("/reply", "/nsm/server/announce", "Welcome", "Harbour sessions", ":server-control:")
    qtbot.waitUntil(lambda: made.on)
    return made


def test_a_project_is_made_opened_edited_and_saved_where_the_server_says(window, managed, server, tmp_path):
    place = tmp_path / "night" / "Arpegon.nABC"
    server.send("/nsm/client/open", str(place), "Night", "Arpegon.nABC")
    assert server.wait_for("/reply")[0] == "/nsm/client/open" and server.wait_for("/nsm/client/is_clean") == []
    file = place.with_name(place.name + ".arpegon")
    assert load_project(file).title == "Night" and window.session.filing.path == file
    window.session.edit("tempo", edits.set_project(window.session.project, tempo=77.0))
    server.wait_for("/nsm/client/is_dirty")
    server.send("/nsm/client/save")
    assert server.wait_for("/reply")[0] == "/nsm/client/save"
    server.wait_for("/nsm/client/is_clean")
    assert load_project(file).tempo == 77.0
    # Another session, in the same program.
    server.send("/nsm/client/open", str(tmp_path / "day" / "Arpegon.nXYZ"), "Day", "Arpegon.nXYZ")
    assert server.wait_for("/reply")[0] == "/nsm/client/open" and window.session.project.title == "Day"
    server.send("/nsm/client/open", str(place), "Night", "Arpegon.nABC")
    assert server.wait_for("/reply")[0] == "/nsm/client/open" and window.session.project.tempo == 77.0


def test_what_cannot_be_opened_or_saved_is_said_to_the_server(window, managed, server, tmp_path):
    server.send("/nsm/client/save")
    address, code, words = server.wait_for("/error")
    assert address == "/nsm/client/save" and code < 0 and "no file" in words
    (tmp_path / "bad.arpegon").write_text("{")
    server.send("/nsm/client/open", str(tmp_path / "bad"), "Bad", "x")
    address, code, words = server.wait_for("/error")
    assert address == "/nsm/client/open" and code < 0 and "bad.arpegon" in words
    (tmp_path / "file").write_text("")
    before = window.session.project
    server.send("/nsm/client/open", str(tmp_path / "file" / "x"), "X", "x")
    assert "cannot be made" in server.wait_for("/error")[2]
    assert window.session.project is before, "what was open stays open"
    server.send("/nsm/client/open")
    assert "No path" in server.wait_for("/error")[2]


def test_it_is_shown_and_hidden_and_its_cross_only_hides_it(window, managed, server, qtbot, monkeypatch):
    server.send("/nsm/client/hide_optional_gui")
    server.wait_for("/nsm/client/gui_is_hidden")
    assert not window.isVisible()
    server.send("/nsm/client/show_optional_gui")
    server.wait_for("/nsm/client/gui_is_shown")
    assert window.isVisible() and not window._actions["open"].isEnabled() and window._actions["save"].isEnabled()
    cross = QCloseEvent()
    monkeypatch.setattr(QCloseEvent, "spontaneous", lambda self: True)
    window.closeEvent(cross)
    server.wait_for("/nsm/client/gui_is_hidden")
    assert not cross.isAccepted() and not window.isVisible() and window.session.link.client.pid
    monkeypatch.undo()


def test_strangers_junk_and_refusals_end_nothing(window, managed, server, qtbot, tmp_path):
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as stranger:
        builder = OscMessageBuilder("/nsm/client/open")
        builder.add_arg(str(tmp_path / "theirs"))
        stranger.sendto(builder.build().dgram, ("127.0.0.1", server.program[1]))
    server.socket.sendto(b"\xff\xfe", ("127.0.0.1", server.program[1]))
    server.send("/nsm/client/dance", "now")
    server.send("/error", "/nsm/server/announce", -2, "too old")
    qtbot.waitUntil(lambda: "too old" in window.session.notices.get("session", ""))
    server.send("/nsm/client/open", str(tmp_path / "ours"), "Ours", "x")
    server.wait_for("/reply")
    assert window.session.filing.path == tmp_path / "ours.arpegon" and not (tmp_path / "theirs.arpegon").exists()


@pytest.mark.parametrize("url", ["", "nowhere", "osc.tcp://127.0.0.1:9/", "osc.udp://127.0.0.1/", "osc.udp://[:9/"])
def test_an_address_that_is_none_is_said(window, url):
    made = Managed(window.session, url)
    assert "no address of a session server" in window.session.notices["session"] and not made.on
    made.close()
