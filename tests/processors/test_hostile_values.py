"""Whatever stands where a value belongs: it is taken, or refused in one sentence of bounded length."""

from __future__ import annotations

import pytest

from arpegon.core.errors import ParameterError
from arpegon.core.processing.parameters import check_params
from arpegon.processors import processor_class
from arpegon.processors.registry import GENERATORS, LISTENINGS, PROCESSORS

ODD = (
    *({}, [], None, "x", "²", "\0", 1e308, -1, True, [[]], [{}], [None], {"a": {}}, {"60": {}}, {"60": ["²"]}),
    *([[1, 2], [3]], [1e308], "9" * 5000, [{"trigger": 36, "quality": {}}], [{"trigger": 36, "degree": "9" * 5000}]),
    *([{"trigger": 36, "degree": 1, "stack": {}}], [{"trigger": 36, "root": []}], [{"trigger": {}}]),
)


@pytest.mark.parametrize("kind", [*PROCESSORS, *GENERATORS, *LISTENINGS])
def test_odd_values_are_taken_or_refused_in_a_sentence(kind):
    params = processor_class(kind).params
    for param in params:
        for value in ODD:
            try:
                taken = check_params(params, {param.name: value}, kind)
            except ParameterError as error:
                assert str(error).endswith(".") and len(str(error)) < 900, (param.name, value)
            else:
                assert check_params(params, taken, kind) == taken
