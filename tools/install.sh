#!/usr/bin/env bash
# Makes the environment: the locked packages, checked by hash, and the application itself.
set -euo pipefail
venv=$1
lock=$2
python=
for candidate in python3.11 python3.12 python3.13 python3; do
  if command -v "$candidate" >/dev/null && "$candidate" -c 'import sys; sys.exit(sys.version_info < (3, 11))' 2>/dev/null; then
    python=$candidate
    break
  fi
done
if [ -z "$python" ]; then
  echo "Elm Peg needs Python 3.11 or later. On Debian: apt-get install python3 python3-venv" >&2
  exit 1
fi
if ! "$python" -m venv "$venv"; then
  echo "The environment could not be made. On Debian: apt-get install python3-venv" >&2
  exit 1
fi
echo "Installing $lock into $venv; the first time takes a minute."
export PIP_DISABLE_PIP_VERSION_CHECK=1
"$venv/bin/pip" install --quiet --require-hashes --requirement "$lock"
"$venv/bin/pip" install --quiet --no-deps --no-build-isolation --editable . 2>&1 | { grep -iE '^error|^ +error' || true; }
# Compiled once here, also where Python is told not to keep what it compiles: every start would else take seconds longer.
"$venv/bin/python" -m compileall -q src
"$venv/bin/elmpeg" --help >/dev/null
