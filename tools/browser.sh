#!/usr/bin/env bash
# The tests drive the real interface in Debian's headless Chromium: find it, or install it where that is allowed.
set -euo pipefail
command -v chromium-headless-shell >/dev/null && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
  echo "Headless Chromium is not on this machine; installing Debian's package with apt-get."
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends chromium-headless-shell >/dev/null && exit 0
fi
command -v chromium >/dev/null && exit 0
echo "Could not install it here. As root: apt-get install chromium-headless-shell, then make test again." >&2
exit 1
