"""The note ledger by itself: as many offs as ons, strictly in turn, whatever is asked of it."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st
from hypothesis.stateful import RuleBasedStateMachine, invariant, rule

from arpegon.core.events import NOTE_OFF, NOTE_ON, POLY_PRESSURE, Event, note_off, note_on
from arpegon.core.notes.ledger import NoteLedger
from building import assert_whole

KEY = st.integers(60, 63)
ANSWER = st.lists(st.integers(59, 66), max_size=4, unique=True)


class LedgerMachine(RuleBasedStateMachine):
    """Strikes, ends, numbered starts and stops, releases, in any order."""

    def __init__(self):
        super().__init__()
        self.ledger = NoteLedger()
        self.out: list[Event] = []
        self.time = 0.0

    def tick(self):
        self.time += 0.1
        return self.time

    @rule(key=KEY, answer=ANSWER)
    def strike(self, key, answer):
        time = self.tick()
        self.ledger.run(
            [note_on(time, 0, key, 90)], lambda event: [note_on(time, 0, note, 80) for note in answer], self.out
        )

    @rule(key=KEY)
    def let_go(self, key):
        self.ledger.run([note_off(self.tick(), 0, key)], lambda event: (), self.out, strays=False)

    @rule(number=st.integers(1 << 20, (1 << 20) + 3), answer=ANSWER)
    def start(self, number, answer):
        time = self.tick()
        self.ledger.start(number, [note_on(time, 0, note, 70) for note in answer], self.out)
        assert len(self.ledger.held(number)) >= len(answer)

    @rule(number=st.integers(1 << 20, (1 << 20) + 3))
    def stop(self, number):
        self.ledger.stop(number, self.tick(), 64, self.out)
        assert self.ledger.held(number) == ()

    @rule()
    def release(self):
        self.ledger.release(self.tick(), self.out)
        assert len(self.ledger) == 0 and self.ledger.keys == []

    @invariant()
    def what_sounds_is_what_was_not_ended(self):
        sounding = 0
        for event in self.out:
            sounding += 1 if event.kind == NOTE_ON else -1
        assert sounding == len(self.ledger)

    def teardown(self):
        self.ledger.release(self.tick(), self.out)
        assert_whole(self.out)


TestLedger = LedgerMachine.TestCase


@given(ANSWER)
def test_pressure_goes_to_the_notes_of_the_last_strike(answer):
    ledger, out = NoteLedger(), []
    ledger.run([note_on(0, 0, 60, 90)], lambda event: [note_on(0, 0, 50, 90)], out)
    ledger.run([note_on(1, 0, 60, 90)], lambda event: [note_on(1, 0, note, 90) for note in answer], out)
    out.clear()
    ledger.run([Event(2, POLY_PRESSURE, 60, 33)], lambda event: (), out)
    assert [event.data1 for event in out] == answer


def test_a_key_struck_twice_ends_its_strikes_one_after_the_other():
    ledger, out = NoteLedger(), []
    for note in (50, 55):
        ledger.run([note_on(0, 0, 60, 90)], lambda event, note=note: [note_on(0, 0, note, 90)], out)
    out.clear()
    ledger.run([note_off(1, 0, 60)], lambda event: (), out)
    ledger.run([note_off(2, 0, 60)], lambda event: (), out)
    assert [(event.kind, event.data1) for event in out] == [(NOTE_OFF, 50), (NOTE_OFF, 55)]


@given(st.lists(st.integers(1, 127), min_size=1, max_size=5), st.booleans())
def test_a_note_that_several_keys_strike_at_one_moment_is_struck_once_as_loud_as_the_loudest(velocities, numbered):
    ledger, out = NoteLedger(), []
    for number, velocity in enumerate(velocities):
        if numbered:
            ledger.start(number, [note_on(1.0, 0, 60, velocity)], out)
        else:
            ledger.run([note_on(1.0, 0, number, velocity)], lambda event: [note_on(1.0, 0, 60, event.data2)], out)
    assert out == [note_on(1.0, 0, 60, max(velocities))]
    for number in range(len(velocities)):
        if numbered:
            ledger.stop(number, 2.0, 64, out)
        else:
            ledger.run([note_off(2.0, 0, number)], lambda event: (), out)
    assert out[1:] == [note_off(2.0, 0, 60)]
