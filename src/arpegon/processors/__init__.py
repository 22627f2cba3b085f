"""The processors, one module each, and their registry."""

from arpegon.processors.registry import PROCESSORS, processor_class

__all__ = ["PROCESSORS", "processor_class"]
