"""The process in which cases are tried, one after another; it says of each how it ended, and may die of any.

``python -m tools.fuzz.worker SEED FIRST SONGS FOLDER``
"""

from __future__ import annotations

import json
import random
import re
import resource
import signal
import sys
import traceback
from pathlib import Path

from tools.fuzz.readers import Readers

from arpegon.core.errors import ArpegonError

CPU_SECONDS = 5.0
MOST_MEGABYTES = 1024
_ADDRESSES = 6 * 2**30
"""Of memory that may be asked for, which is more than what is used."""
_FOREIGN = re.compile(
    r"list index|out of range for|NoneType|Traceback|object (has|is)|codec|invalid literal|unexpected keyword|"
    r"msgspec|mido|soundfile|libsndfile|numpy|json|<class|\bint\b|\bstr\b|\bdict\b|\bfloat\b|Error\b",
    re.IGNORECASE,
)
_LONGEST = 1000


class Hang(BaseException):
    """A case took too long."""


def odd_words(words: str) -> bool:
    """Whether a refusal is no sentence of ours."""
    plain = re.sub(r"[“`][^”`]*[”`]?", "", words)  # what was found in the file may say what it likes
    return not words.endswith(".") or "\n" in plain or len(words) > _LONGEST or bool(_FOREIGN.search(plain))


def _hang(*_: object) -> None:
    raise Hang


def main() -> None:
    """Try cases until told to stop, by the end of the input."""
    seed, first, songs_folder, folder = sys.argv[1], int(sys.argv[2]), Path(sys.argv[3]), Path(sys.argv[4])
    resource.setrlimit(resource.RLIMIT_AS, (_ADDRESSES, _ADDRESSES))
    signal.signal(signal.SIGPROF, _hang)
    readers = Readers([song.read_bytes() for song in sorted(songs_folder.glob("*.mid"))])
    number = first
    while True:
        draw = random.Random(f"{seed}/{number}")
        name = readers.draw(draw)
        print(json.dumps({"begins": number, "case": name}), flush=True)
        signal.setitimer(signal.ITIMER_PROF, CPU_SECONDS)
        words = how = ""
        try:
            readers.cases[name][1](draw, folder)
        except ArpegonError as error:
            words, how = str(error), "odd words" if odd_words(str(error)) else "refused"
        except Hang:
            words, how = traceback.format_exc(limit=-6), "hang"
        except MemoryError:
            words, how = traceback.format_exc(limit=-6), "memory"
        except BaseException:
            words, how = traceback.format_exc(limit=-6), "exception"
        signal.setitimer(signal.ITIMER_PROF, 0.0)
        megabytes = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        if megabytes > MOST_MEGABYTES and how != "hang":
            how = "memory"
        print(json.dumps({"number": number, "how": how or "taken", "words": words}), flush=True)
        if megabytes > MOST_MEGABYTES:
            return
        number += 1


if __name__ == "__main__":
    main()
