#!/bin/sh
# Installs the Debian packages that are missing for a purpose: run, display (a virtual one) or test.
set -eu

run="gcc libc6-dev libportaudio2 libasound2|libasound2t64 libegl1 libgl1 libglib2.0-0|libglib2.0-0t64 libfontconfig1 libdbus-1-3
libxkbcommon-x11-0 libxcb-cursor0 libxcb-icccm4 libxcb-image0 libxcb-keysyms1 libxcb-randr0 libxcb-render-util0
libxcb-shape0 libxcb-xinerama0 libxcb-xkb1"
display="xvfb xauth"
test="xvfb xauth jackd2 procps desktop-file-utils appstream shared-mime-info dbus at-spi2-core python3-pyatspi"

case "${1:-run}" in
  run) wanted="$run" ;;
  display) wanted="$display" ;;
  test) wanted="$test" ;;
  *) echo "usage: $0 run|display|test" >&2; exit 2 ;;
esac

command -v dpkg-query >/dev/null 2>&1 || exit 0  # no Debian: the system's own packages are the user's to choose

installed() { dpkg-query -W -f '${Status}' "$1" 2>/dev/null | grep -q "ok installed"; }

missing=""
for entry in $wanted; do
  found=no
  for name in $(echo "$entry" | tr '|' ' '); do
    if installed "$name"; then found=yes; fi
  done
  [ "$found" = yes ] || missing="$missing $entry"
done
[ -n "$missing" ] || exit 0

# Of two names of one package, the one that this Debian has; the newer one if it has both, as the old one may be empty.
choose() {
  packages=""
  for entry in $missing; do
    chosen=""
    for name in $(echo "$entry" | tr '|' ' '); do
      if apt-cache show "$name" >/dev/null 2>&1; then chosen="$name"; fi
    done
    packages="$packages ${chosen:-$(echo "$entry" | cut -d'|' -f1)}"
  done
}

choose
if [ "$(id -u)" = 0 ]; then sudo=""; elif command -v sudo >/dev/null 2>&1; then sudo="sudo"; else
  echo "Arpegon needs Debian packages that are missing here, and there is no sudo. As root, run:" >&2
  echo "  apt-get install$packages" >&2
  echo "Then run make again." >&2
  exit 1
fi

echo "Arpegon needs Debian packages that are missing here:$packages"
echo "Installing them with apt-get${sudo:+ (sudo may ask for your password)} ..."
export DEBIAN_FRONTEND=noninteractive
$sudo apt-get update -q >/dev/null
choose
# shellcheck disable=SC2086
$sudo env DEBIAN_FRONTEND=noninteractive apt-get install -y -q --no-install-recommends $packages >/dev/null
