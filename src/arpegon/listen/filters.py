"""The filters of SciPy that listening needs, loaded when something is heard for the first time.

To load ``scipy.signal`` takes a second of a processor, which neither the window nor the engine has to give.
"""

from __future__ import annotations

from functools import cache
from typing import Any


@cache
def load() -> Any:
    """The module of SciPy; whoever must be on time calls this beforehand."""
    import scipy.signal

    return scipy.signal


def butter(*arguments: Any, **settings: Any) -> Any:
    """See :func:`scipy.signal.butter`."""
    return load().butter(*arguments, **settings)


def firwin(*arguments: Any, **settings: Any) -> Any:
    """See :func:`scipy.signal.firwin`."""
    return load().firwin(*arguments, **settings)


def lfilter(*arguments: Any, **settings: Any) -> Any:
    """See :func:`scipy.signal.lfilter`."""
    return load().lfilter(*arguments, **settings)
