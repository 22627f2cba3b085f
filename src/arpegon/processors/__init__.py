"""The processors, one module each, and their registry."""

from arpegon.processors.registry import GENERATORS, PROCESSORS, WORKS, processor_class

__all__ = ["GENERATORS", "PROCESSORS", "WORKS", "processor_class"]
