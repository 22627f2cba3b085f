"""Which note off ends which note on: first on, first off, in one place for all."""

from __future__ import annotations

from hypothesis import given
from hypothesis import strategies as st

from arpegon.core.notes.pairing import Pairing

moves = st.lists(st.tuples(st.booleans(), st.integers(0, 3)), max_size=40)


@given(moves)
def test_it_is_a_queue_for_each_key(rows):
    pairing, queues = Pairing(), {}
    for number, (on, key) in enumerate(rows, start=1):
        queue = queues.setdefault(key, [])
        if on:
            pairing.begin(key, number)
            queue.append(number)
        else:
            assert pairing.end(key) == (queue.pop(0) if queue else None)
        assert (key in pairing) == bool(queue) and pairing.latest(key) == (queue[-1] if queue else None)
        assert sorted(pairing.marks()) == sorted(mark for queue in queues.values() for mark in queue)
        assert len(pairing) == sum(map(len, queues.values())) and bool(pairing) == any(queues.values())
        assert sorted(pairing) == sorted(key for key, queue in queues.items() if queue)


@given(moves)
def test_it_lets_go_of_each_note_once(rows):
    pairing, count = Pairing(), 0
    for on, key in rows:
        if on:
            pairing.begin(2 << 7 | key, True)
        else:
            pairing.end(2 << 7 | key)
    count = len(pairing)
    ends = pairing.release(3.0)
    assert len(ends) == count and not pairing
    assert all(event.time == 3.0 and event.channel == 2 and event.kind == 0x80 for event in ends)
    pairing.begin(1, "x")
    pairing.clear()
    assert pairing.end(1) is None
