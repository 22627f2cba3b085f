"""The tree of a running program as a screen reader gets it, as JSON (run with the system's Python, which has pyatspi).

    python3 tools/reader_tree.py NAME [SET ROLE VALUE]

Waits for the program of that name. With ``SET`` the value of a control of that name and role is set first, as a screen
reader does it, and only that control is printed.
"""

from __future__ import annotations

import json
import sys
import time
from typing import Any

import pyatspi
from gi.repository import GLib

_PATIENCE_SECONDS = 90.0
_ANSWER_SECONDS = 2.0
"""How long a control may take to say what became of it."""
_STATES = ("focusable", "focused", "checked", "enabled", "showing", "selected")


def program(name: str) -> Any:
    """The program of a name, once it is there with a window."""
    end = time.monotonic() + _PATIENCE_SECONDS
    while time.monotonic() < end:
        for one in pyatspi.Registry.getDesktop(0):
            if one is not None and one.name == name and one.childCount:
                return one
        time.sleep(0.2)
    raise SystemExit(f"no program {name} in the tree")


def tree(node: Any) -> dict[str, Any]:
    """A node and all beneath it."""
    found: dict[str, Any] = {"role": node.getRoleName(), "name": node.name, "description": node.description}
    states = node.getState().getStates()
    known = {pyatspi.stateToString(state) for state in states}
    found["states"] = [state for state in _STATES if state in known]
    interfaces = pyatspi.listInterfaces(node)
    if "Value" in interfaces:
        value = node.queryValue()
        found["value"] = [value.currentValue, value.minimumValue, value.maximumValue]
    if "Action" in interfaces:
        action = node.queryAction()
        found["actions"] = [action.getName(number) for number in range(action.nActions)]
    found["children"] = [made for child in node if child is not None and (made := there(child)) is not None]
    return found


def there(node: Any) -> dict[str, Any] | None:
    """A node and all beneath it; ``None`` where it has just gone: the window lives on while it is read."""
    try:
        return tree(node)
    except (LookupError, NotImplementedError, GLib.Error):
        return None


def find(node: Any, name: str, role: str) -> Any:
    """The first control of a name and role."""
    if node.name == name and node.getRoleName() == role:
        return node
    for child in node:
        if child is not None:
            hit = find(child, name, role)
            if hit is not None:
                return hit
    return None


def main() -> None:
    """Print the tree."""
    root = program(sys.argv[1])
    if len(sys.argv) > 4:
        control = find(root, sys.argv[2], sys.argv[3])
        if control is None:
            raise SystemExit(f"no {sys.argv[3]} {sys.argv[2]}")
        before = tree(control)
        if sys.argv[4] == "press":
            action = control.queryAction()
            names = [action.getName(number) for number in range(action.nActions)]
            action.doAction(
                next(number for number, one in enumerate(names) if one in ("Press", "Toggle", "press", "toggle"))
            )
        else:
            control.queryValue().currentValue = float(sys.argv[4])
        root = control
        end = time.monotonic() + _ANSWER_SECONDS
        while tree(control) == before and time.monotonic() < end:
            time.sleep(0.1)
    print(json.dumps(tree(root)))


if __name__ == "__main__":
    main()
