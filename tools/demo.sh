#!/bin/sh
# Opens the demo; where there is no display, on a virtual one.
set -eu
arpegon=.venv/bin/arpegon
if [ -n "${DISPLAY:-}${WAYLAND_DISPLAY:-}" ]; then
  exec "$arpegon" --demo
fi
sh tools/system-packages.sh display
echo "There is no display here: the demo opens on a virtual one (Xvfb, 1280x800). Ctrl+C ends it."
exec xvfb-run -a -s "-screen 0 1280x800x24" "$arpegon" --demo
