#!/usr/bin/env bash
# Takes the pictures of this folder anew, from the demo: needs Xvfb, xterm and ImageMagick's `import`.
# Usage: docs/screenshots/take.sh [NAME ...]   (all of them where none is named)
set -euo pipefail
cd "$(dirname "$0")/../.."
export PATH="$PWD/.venv/bin:$PATH" DISPLAY=:97
work=$(mktemp -d)
mappu demo "$work/harbour-demo" >/dev/null

take() { # name, columns, rows, font size, command
  Xvfb :97 -screen 0 1280x800x24 >/dev/null 2>&1 &
  local server=$!
  sleep 1
  # The command sees a terminal of its own, long enough not to scroll; the first screenful of it is shown.
  printf 'cd %q; clear; echo "$ %s"; echo; script -qc "stty rows 300 cols %s; %s" /dev/null | head -n %s; sleep 30\n' \
    "$work" "$5" "$2" "$5" "$(($3 - 4))" >"$work/run"
  xterm -fa "DejaVu Sans Mono" -fs "$4" -geometry "$2x$3+0+0" -bg "#14181d" -fg "#d7dce2" +sb -e bash "$work/run" 2>/dev/null &
  sleep 5
  import -window root "docs/screenshots/$1.png"
  kill "$server"
  wait 2>/dev/null || true
}

wanted() { [[ " $names " == *" $1 "* ]] || [ -z "$names" ]; }
names="$*"
if wanted survey; then take survey 112 36 13 "mappu survey harbour-demo"; fi
if wanted fields; then take fields 100 36 13 "mappu fields harbour-demo --endpoint stays"; fi
if wanted fields-wide; then take fields-wide 156 52 9 "mappu fields harbour-demo --in body"; fi
if wanted gaps; then take gaps 112 36 13 "mappu gaps harbour-demo --endpoint /vessels"; fi
if wanted pilots; then take pilots 156 52 9 "mappu fields harbour-demo --endpoint pilots"; fi
if wanted lost-property; then take lost-property 112 36 13 "mappu gaps harbour-demo --endpoint lost-property"; fi
if wanted manifests; then take manifests 156 52 9 "mappu fields harbour-demo --endpoint manifests"; fi
if wanted tide-gauges; then take tide-gauges 112 36 13 "mappu gaps harbour-demo --endpoint tide-gauges"; fi
if wanted explain; then take explain 112 36 13 "mappu explain idle-rules"; fi
rm -rf "$work"
