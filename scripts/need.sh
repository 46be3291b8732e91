#!/bin/sh
# Checks what Debian must provide; installs it as root, else prints the one line to type.
set -eu
missing=""
python=${PYTHON:-python3}
need() { missing="$missing $*"; }
for what in "$@"; do
  case "$what" in
    python)
      command -v "$python" >/dev/null || need python3
      "$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' || { echo "Python 3.11 or newer is needed." >&2; exit 1; }
      "$python" -c 'import venv, ensurepip' 2>/dev/null || need python3-venv ;;
    pango)
      "$python" -c '
import ctypes.util as u, sys
sys.exit(not all(map(u.find_library, ("pango-1.0", "pangoft2-1.0", "harfbuzz-subset"))))' ||
        need libpango-1.0-0 libpangoft2-1.0-0 libharfbuzz-subset0 ;;
    node) { command -v node && command -v npm; } >/dev/null || need nodejs npm ;;
    postgresql) ls /usr/lib/postgresql/*/bin/initdb >/dev/null 2>&1 || need postgresql ;;
    # The one without a window, which draws no more than the page; else the whole one.
    chromium) command -v chromium-headless-shell >/dev/null || command -v chromium >/dev/null || need chromium-headless-shell ;;
  esac
done
[ -z "$missing" ] && exit 0
if [ "$(id -u)" = 0 ]; then
  apt-get update -q && apt-get install -y -q --no-install-recommends $missing
else
  echo "Needed from Debian: sudo apt-get install -y --no-install-recommends$missing" >&2
  exit 1
fi
