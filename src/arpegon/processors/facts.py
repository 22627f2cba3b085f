"""What the path check asks of stages, answered from their declarations."""

from __future__ import annotations

from arpegon.core.document.model import Stage
from arpegon.core.document.path_check import StageFacts
from arpegon.core.processing.parameters import with_defaults
from arpegon.processors.registry import processor_class


def stage_facts(stage: Stage) -> StageFacts:
    """The label of a stage, and why nothing can come out of it, if so."""
    processor = processor_class(stage.kind)
    values = with_defaults(processor.params, stage.params)
    return StageFacts(processor.label, processor.swallows(values), processor.waits_for_clock(values))
