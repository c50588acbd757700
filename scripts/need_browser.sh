#!/usr/bin/env bash
# The browser tests drive Debian's Chromium, and the README's proxy is tried with Debian's nginx; installs what is
# missing where that is possible, else says what to do.
set -euo pipefail
wanted=()
command -v chromedriver >/dev/null && command -v chromium >/dev/null || wanted+=(chromium chromium-driver)
command -v nginx >/dev/null || [ -x /usr/sbin/nginx ] || wanted+=(nginx-light)
command -v openssl >/dev/null || wanted+=(openssl)
[ ${#wanted[@]} = 0 ] && exit 0
if [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; then
  echo "Installing ${wanted[*]} for the tests."
  apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "${wanted[@]}" >/dev/null
else
  echo "The tests need the packages ${wanted[*]}: install them, then run make test again."
  exit 1
fi
