"""Events, theory, time, the document and the processor protocol: no I/O, no screen."""
