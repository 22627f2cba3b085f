"""What can be hooked up and done, part by part."""

from __future__ import annotations

import pytest

from arpegon.processors.actions import ACTIONS, actions_on
from arpegon.processors.targets import params_of
from building import generator, project, stage, strand

DOCUMENT = project(strand(stage("chord", "c"), sources=(generator("steps", "s"),)))


@pytest.mark.parametrize(
    ("target", "some", "none"),
    [
        ("", {"play", "tap", "keep", "section-next"}, {"mute", "bypass", "start", "pattern"}),
        ("a", {"mute", "solo"}, {"play", "bypass", "start"}),
        ("c", {"bypass"}, {"mute", "start", "pattern", "play"}),
        ("s", {"bypass", "pattern", "pattern-next", "toss", "start", "halt"}, {"mute", "play"}),
        ("bells", set(), set(ACTIONS)),
        ("gone", set(), set(ACTIONS)),
    ],
)
def test_each_part_offers_the_actions_that_can_be_done_with_it(target, some, none):
    offered = set(actions_on(DOCUMENT, target))
    assert some <= offered and not offered & none


def test_every_action_is_offered_somewhere():
    everywhere = {name for target in ("", "a", "c", "s", "bells") for name in actions_on(DOCUMENT, target)}
    assert everywhere == set(ACTIONS)


def test_what_is_gone_has_no_parameters():
    assert params_of(DOCUMENT, "gone") == {} and "tempo" in params_of(DOCUMENT, "")
