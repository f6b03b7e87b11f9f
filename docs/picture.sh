#!/usr/bin/env bash
# Takes a picture of a command's output in a terminal window of 1280×800: docs/picture.sh OUT.png COMMAND...
# Needs Debian's xvfb, xterm, imagemagick and fonts-dejavu.
set -euo pipefail
out=$1; shift
display=:$((RANDOM % 400 + 100))
Xvfb $display -screen 0 1280x800x24 >/dev/null 2>&1 & xvfb=$!
trap 'kill $xvfb 2>/dev/null || true' EXIT
sleep 0.7
DISPLAY=$display COLORTERM=truecolor xterm -fa 'DejaVu Sans Mono' -fs "${SIZE:-10}" -geometry "${COLS:-157}x${ROWS:-49}+0+0" -bg '#10151c' -fg '#e6e6e6' +sb -b 6 -e \
    bash -c "printf '\033[?25l'; $*; sleep ${HOLD:-30}" & term=$!
sleep "${WAIT:-5}"
DISPLAY=$display import -window root "$out"
kill $term 2>/dev/null || true
