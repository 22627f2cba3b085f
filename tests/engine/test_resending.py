"""A receiver for whom periods were lost hangs on no note, and loses none that has begun since."""

from __future__ import annotations

from collections import Counter, deque

from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.events import BEND, CONTROL, NOTE_OFF, NOTE_ON, PROGRAM
from arpegon.engine.devices.resending import Resending

KEPT = 3
LATEST = 4
"""So many periods later, at most, is it heard of that one was lost."""
keys = st.tuples(
    st.sampled_from((NOTE_ON, NOTE_ON, NOTE_OFF, NOTE_OFF, CONTROL, BEND, PROGRAM)),
    st.integers(0, 1),
    st.integers(60, 62),
)
periods = st.lists(st.tuples(st.lists(keys, max_size=4), st.sampled_from((False, False, False, True))), max_size=30)


class Receiver:
    """What sounds, and which values are set."""

    def __init__(self):
        self.sounding, self.values = set(), {}

    def hear(self, message):
        kind, channel = message[0] & 0xF0, message[0] & 0x0F
        if kind == NOTE_ON:
            self.sounding.add((channel, message[1]))
        elif kind == NOTE_OFF:
            self.sounding.discard((channel, message[1]))
        elif message[1] == 123:
            self.sounding = {key for key in self.sounding if key[0] != channel}
        elif kind == BEND:
            self.values[channel, "bend"] = message[1:]
        elif kind == PROGRAM:
            self.values[channel, "program"] = message[1]
        else:
            self.values[channel, message[1]] = message[2]


def messages(entries, number, open_notes):
    """Bytes of what a ledger might let through: an end only of what has begun."""
    for kind, channel, note in entries:
        if kind == NOTE_OFF and not open_notes[channel, note]:
            continue
        if kind in (NOTE_ON, NOTE_OFF):
            open_notes[channel, note] += 1 if kind == NOTE_ON else -1
        yield bytes((kind | channel, note, 1 + number % 127)[: 2 if kind == PROGRAM else 3])


def played_out(plan, later, kept, kept_ends):
    """What a receiver for whom periods were lost has in the end, and one for whom none were.

    Args:
        later: how many periods later the sender learns of a loss.
        kept: for how many periods what left is kept, and for how many the ends of notes are.
    """
    sender, receiver, ideal = Resending(), Receiver(), Receiver()
    open_notes: Counter = Counter()
    known, losses = deque([False] * later), 0
    quiet = [([], False)] * (KEPT + max(later, LATEST) + 1)
    ends = [[(NOTE_OFF, *key)] * 40 for key in ((channel, note) for channel in (0, 1) for note in (60, 61, 62))]
    for number, (entries, lost) in enumerate([*plan, *((end, False) for end in ends), *quiet]):
        if not losses:
            sender.rest(number - kept, number - kept_ends)
        sent = sender.again(number, last=losses == 1) if losses else []
        for message in messages(entries, number, open_notes):
            ideal.hear(message)
            sender.sent(number, message)
            sent.append(message)
        for message in sent if not lost else ():
            receiver.hear(message)
        known.append(lost)
        losses = KEPT if known.popleft() else max(0, losses - 1)
    return receiver, ideal


@given(periods, st.integers(0, LATEST))
def test_what_was_lost_is_said_again_until_it_arrives(plan, later):
    """The sender learns of a loss one period later, or some more; a period that says things again may be lost too."""
    receiver, ideal = played_out(plan, later, KEPT + LATEST, KEPT + LATEST)
    assert receiver.sounding == ideal.sounding == set()
    assert receiver.values == ideal.values


@given(periods, st.integers(LATEST, 60))
def test_no_note_hangs_where_a_loss_is_told_of_very_late(plan, later):
    """A machine that comes to nothing else says so after seconds; then notes at least are ended."""
    only_notes = [([one for one in entries if one[0] in (NOTE_ON, NOTE_OFF)], lost) for entries, lost in plan]
    receiver, _ = played_out(only_notes, later, KEPT, KEPT + 70)
    assert receiver.sounding == set()


def test_a_doubt_that_lasts_is_not_made_longer_by_all_that_is_said_again():
    sender, said = Resending(), 0
    for note in range(40):
        sender.sent(1, bytes((0x90, note, 90)))
        sender.sent(2, bytes((0x80, note, 64)))
    for period in range(3, 2003):
        said += len(sender.again(period, last=False))
    assert 40 * 30 < said < 40 * 50
    assert len(sender.again(2003, last=True)) == 40


def test_who_leaves_says_all_in_each_of_the_last_periods_however_long_there_was_doubt():
    sender = Resending()
    sender.sent(1, bytes((0x90, 60, 90)))
    sender.sent(2, bytes((0x80, 60, 64)))
    for period in range(3, 8):
        sender.again(period, last=False)
    sender.begin_anew()
    assert [len(sender.again(period, last=False)) for period in range(8, 11)] == [1, 1, 1]


@given(periods)
def test_where_nothing_was_lost_to_say_it_again_changes_nothing(plan):
    sender, receiver, ideal = Resending(), Receiver(), Receiver()
    open_notes: Counter = Counter()
    for number, (entries, again) in enumerate(plan):
        if not again:
            sender.rest(number - KEPT, number - 3 * KEPT)
        for message in sender.again(number, last=number % 2 == 0) if again else ():
            receiver.hear(message)
        for message in messages(entries, number, open_notes):
            sender.sent(number, message)
            for one in (receiver, ideal):
                one.hear(message)
        assert receiver.sounding == ideal.sounding and receiver.values == ideal.values


def test_all_notes_off_is_not_said_again_over_a_note_that_has_begun_since():
    sender = Resending()
    sender.sent(1, bytes((0xB0, 123, 0)))
    assert sender.again(2, False) == [bytes((0xB0, 123, 0))]
    sender.sent(2, bytes((0x90, 60, 90)))
    assert sender.again(3, False) == []
    sender.sent(3, bytes((0x80, 60, 64)))
    assert sender.again(4, True) == [bytes((0x80, 60, 64))]


def test_what_left_long_ago_is_not_said_again():
    sender = Resending()
    sender.sent(1, bytes((0x80, 60, 64)))
    sender.sent(2, bytes((0xB0, 7, 64)))
    sender.rest(2, 2)
    assert sender.again(5, True) == [bytes((0xB0, 7, 64))]


def test_what_is_yet_to_leave_is_not_said_again_and_its_note_not_ended_before():
    sender = Resending()
    sender.sent(1, bytes((0x90, 60, 90)))
    sender.sent(2, bytes((0x80, 60, 64)))
    sender.sent(3, bytes((0x90, 60, 90)))
    sender.sent(9, bytes((0x80, 60, 64)))
    assert sender.again(4, True) == []
    assert sender.again(10, True) == [bytes((0x80, 60, 64))]


def test_what_counts_a_value_up_is_not_said_again_as_it_would_count_once_more():
    sender = Resending()
    sender.sent(1, bytes((0xB0, 96, 0)))
    assert sender.again(2, True) == []


def test_all_that_sets_a_value_is_said_again_in_the_order_in_which_it_was_said_last():
    sender = Resending()
    bend, pressure, bank, program = bytes((0xE0, 0, 64)), bytes((0xD0, 9)), bytes((0xB0, 0, 1)), bytes((0xC0, 5))
    for frame, message in enumerate((bytes((0xC0, 4)), bytes((0xE0, 0, 99)), pressure, bank, program, bend)):
        sender.sent(frame, message)
    assert sender.again(9, True) == [pressure, bank, program, bend]


def test_a_program_is_not_said_again_after_a_bank_that_was_chosen_for_the_next():
    sender = Resending()
    sender.sent(1, bytes((0xC0, 5)))
    sender.sent(2, bytes((0xC1, 6)))
    sender.sent(3, bytes((0xB0, 32, 1)))
    assert sender.again(9, True) == [bytes((0xC1, 6)), bytes((0xB0, 32, 1))]


def test_of_a_parameter_that_is_chosen_by_number_what_was_set_last_is_said_again_and_of_the_one_before_nothing():
    sender = Resending()
    for frame, (number, value) in enumerate(((101, 0), (100, 0), (6, 2), (100, 1), (6, 64), (6, 65))):
        sender.sent(frame, bytes((0xB0, number, value)))
    chosen = [bytes((0xB0, 101, 0)), bytes((0xB0, 100, 1))]
    assert sender.again(9, True) == [*chosen, bytes((0xB0, 6, 65))]
    sender.sent(9, bytes((0xB0, 100, 2)))
    assert sender.again(10, True) == [chosen[0], bytes((0xB0, 100, 2))]


def test_what_is_of_the_system_is_not_said_again():
    sender = Resending()
    for frame, message in enumerate((b"\xf8", b"\xfa", b"\xf0\x01\xf7")):
        sender.sent(frame, message)
    assert sender.again(9, True) == []
