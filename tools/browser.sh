#!/usr/bin/env bash
# The tests drive the real interface in Debian's Chromium: find it, or install it where that is allowed.
set -euo pipefail
command -v chromium >/dev/null && exit 0
echo "Chromium is not on this machine; the tests need Debian's package."
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
  echo "Installing it with apt-get."
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq --no-install-recommends chromium >/dev/null && exit 0
fi
echo "Could not install it here. As root: apt-get install chromium, then make test again." >&2
exit 1
