#!/usr/bin/env bash
# Takes a picture of a command's output in a terminal of 1280x800: take.sh NAME COMMAND …
# Needs xterm, xvfb and imagemagick from the system's packages.
set -euo pipefail
name=$1; shift
folder=$(cd "$(dirname "$0")" && pwd)
screen=$(mktemp)
{ printf '$ %s\n' "$*"; PATH="$PATH" script -qec "stty cols 120 rows 42; $*" /dev/null; } > "$screen"
xvfb-run -a -s "-screen 0 1280x800x24" bash -c "
  xterm -geometry 127x42+0+0 -fa 'DejaVu Sans Mono' -fs 11.5 -bg '#fbfbf8' -fg '#1c1c1c' +sb \
    -e 'tput civis; cat $screen; sleep 5' & sleep 2.5
  import -window root '$folder/$name.png'; kill %1" 2>/dev/null || true
rm -f "$screen"
