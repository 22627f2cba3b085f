"""Memory of the whole program while the demo plays in sight, minute by minute.

    python -m bench.lasting [MINUTES]

Not part of ``make bench``: it takes ten minutes, unless fewer are asked for.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time

from tools.jack_server import jack_server

from bench.whole import Program, screen

_PERIOD = 256


def main() -> None:
    """Measure and say."""
    minutes = int(sys.argv[1]) if len(sys.argv) > 1 else 10
    with tempfile.TemporaryDirectory() as own, jack_server("arpegon-lasting", _PERIOD), screen():
        for name in ("XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_DATA_HOME"):
            os.environ[name] = own
        program = Program()
        program.wait_for("sounds")
        program.tell("play")
        for minute in range(1, minutes + 1):
            time.sleep(60.0)
            kinds = ", ".join(f"{name} {size:.0f}" for name, size in program.memories().items())
            print(f"after minute {minute}: {program.memory():.0f} MB ({kinds})", flush=True)
        program.close()


if __name__ == "__main__":
    main()
