"""Memory of the whole program while the demo plays in sight, minute by minute.

    python -m bench.lasting [MINUTES]

Not part of ``make bench``: it takes ten minutes, unless fewer are asked for.
"""

from __future__ import annotations

import sys
import time

from bench.whole import PERIOD, Program, studio


def main() -> None:
    """Measure and say."""
    minutes = int(sys.argv[1]) if len(sys.argv) > 1 else 10
    with studio("arpegon-lasting", PERIOD):
        program = Program()
        program.wait_for("sounds")
        program.tell("play")
        for minute in range(1, minutes + 1):
            time.sleep(60.0)
            memories = program.memories()
            kinds = ", ".join(f"{name} {size:.0f}" for name, size in memories.items())
            print(f"after minute {minute}: {sum(memories.values()):.0f} MB ({kinds})", flush=True)
        program.close()


if __name__ == "__main__":
    main()
