#!/usr/bin/env bash
# The browser tests drive Debian's Chromium; installs it where that is possible, else says what to do.
set -euo pipefail
command -v chromedriver >/dev/null && command -v chromium >/dev/null && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
  echo "Installing Chromium and its driver for the browser tests."
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq chromium chromium-driver >/dev/null
else
  echo "The browser tests need Chromium: install the packages chromium and chromium-driver, then run make test again."
  exit 1
fi
