#!/bin/sh
# The virtual environment and the Python packages; one clear line where Python is not the right one.
set -e
for candidate in ${PYTHON:-} python3.11 python3; do
  if command -v "$candidate" >/dev/null 2>&1 && "$candidate" -c 'import sys; sys.exit(sys.version_info[:2] != (3, 11))' 2>/dev/null; then
    found=$candidate
    break
  fi
done
if [ -z "$found" ]; then
  echo "Limus needs Python 3.11 and found $(python3 --version 2>/dev/null || echo none). Install it (on Debian: apt install python3.11 python3.11-venv) or name it: make setup PYTHON=/path/to/python3.11" >&2
  exit 1
fi
if ! "$found" -c 'import venv, ensurepip' 2>/dev/null; then
  echo "Python is there, its venv module is not. On Debian: apt install python3.11-venv" >&2
  exit 1
fi
[ -x .venv/bin/python ] || "$found" -m venv .venv
echo "Installing Python packages ..."
log=.venv/install.log
pip=".venv/bin/python -m pip install --quiet --disable-pip-version-check"
# A tenth of the time; where it cannot be had, or cannot find the packages, what comes with Python installs them.
quick() {
  $pip uv==0.13.9 &&
    .venv/bin/uv pip install --quiet --python .venv/bin/python -r requirements-dev.txt &&
    .venv/bin/uv pip install --quiet --python .venv/bin/python --no-deps -e .
}
plain() {
  $pip -r requirements-dev.txt && $pip --no-deps -e .
}
{
  { quick || plain; } && .venv/bin/limus --version
} >"$log" 2>&1 || {
  tail -n 15 "$log" >&2
  echo "The Python packages could not be installed (all of it in $log). Check the network and run the command again." >&2
  exit 1
}
