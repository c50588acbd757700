#!/usr/bin/env bash
# Makes .venv with a Python that is new enough; says in a sentence what is missing if it cannot.
set -euo pipefail
python=${1:-python3}
can_install() { [ "$(id -u)" = 0 ] && command -v apt-get >/dev/null; }
install() { apt-get update -qq && DEBIAN_FRONTEND=noninteractive apt-get install -y -qq "$@" >/dev/null; }

if ! command -v "$python" >/dev/null; then
  can_install || { echo "Python 3.11 or newer is needed: install the package python3."; exit 1; }
  install python3 python3-venv
fi
"$python" -c 'import sys; sys.exit(sys.version_info < (3, 11))' ||
  { echo "Python 3.11 or newer is needed; this is $("$python" --version). Give another with PYTHON=."; exit 1; }
if ! "$python" -c 'import ensurepip, venv' 2>/dev/null; then
  can_install || { echo "Python's venv module is missing: install the package python3-venv."; exit 1; }
  install python3-venv
fi
[ -x .venv/bin/python ] || "$python" -m venv .venv
