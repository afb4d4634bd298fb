#!/usr/bin/env bash
# Takes a picture of what commands print in a terminal of 1280x800: take.sh NAME "COMMAND" …
# Needs xterm, xvfb and imagemagick from the system's packages.
set -euo pipefail
name=$1; shift
folder=$(cd "$(dirname "$0")" && pwd)
screen=$(mktemp)
for command in "$@"; do
  printf '$ %s\n' "$command"
  PATH="$PATH" script -qc "stty cols 120 rows 42; $command" /dev/null || true
  [ $# = 1 ] || echo
done > "$screen"
xvfb-run -a -s "-screen 0 1280x800x24" bash -c "
  xterm -geometry 126x41+0+0 -b 6 -bw 0 -fa 'DejaVu Sans Mono' -fs 11.5 -bg '#fbfbf8' -fg '#1c1c1c' \
    +sb -e 'tput civis; cat $screen; sleep 5' & sleep 2.5
  import -window root '$folder/$name.png'; kill %1" 2>/dev/null || true
# The screen behind the terminal is black, and nothing in it is.
convert "$folder/$name.png" -fill '#fbfbf8' -opaque '#000000' "$folder/$name.png"
rm -f "$screen"
